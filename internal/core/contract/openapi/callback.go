package openapi

import (
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// readCallbacks reads the calls that a service makes after an answer of an operation.
func (r *reader) readCallbacks(op *contract.Operation, n *tree.Node, at string) {
	for _, m := range n.Entries() {
		if strings.HasPrefix(m.Key, "x-") {
			continue
		}
		named, namedAt, err := r.follow(m.Value, tree.Join(at, m.Key))
		if err != nil {
			r.warn(m.Value, tree.Join(at, m.Key), "callback %s: %v", m.Key, err)
			continue
		}
		for _, address := range named.Entries() {
			if !strings.HasPrefix(address.Key, "x-") {
				op.Callbacks = append(op.Callbacks, r.outgoing(m.Key, address.Key, address.Value, tree.Join(namedAt, address.Key))...)
			}
		}
	}
	r.contract.Callbacks += len(op.Callbacks)
}

// readWebhooks reads the calls that a service makes when something happened. Documents before 3.1 have
// them as an extension.
func (r *reader) readWebhooks() {
	for _, key := range []string{"webhooks", "x-webhooks"} {
		for _, m := range r.root.Get(key).Entries() {
			if !strings.HasPrefix(m.Key, "x-") {
				r.contract.Webhooks = append(r.contract.Webhooks, r.outgoing(m.Key, "", m.Value, tree.Join("/"+key, m.Key))...)
			}
		}
	}
	for _, webhook := range r.contract.Webhooks {
		webhook.Operation.ID, webhook.Operation.Webhook = webhook.Name, true
	}
}

// outgoing reads what is called at one address; one that is called in several ways is several callbacks,
// whose names then end with the method.
func (r *reader) outgoing(name, address string, item *tree.Node, at string) (all []*contract.Callback) {
	item, itemAt, err := r.follow(item, at)
	if err != nil {
		r.warn(item, at, "callback %s: %v", name, err)
		return nil
	}
	for _, m := range item.Entries() {
		if !slices.Contains(methods, m.Key) || m.Value.Kind != tree.Map {
			continue
		}
		op := &contract.Operation{ID: name, Method: methodOf(m.Key), Summary: m.Value.Get("summary").Str(), Description: m.Value.Get("description").Str(),
			Deprecated: m.Value.Get("deprecated").IsTrue()}
		r.readRequest(op, item, itemAt, m.Value, tree.Join(itemAt, m.Key))
		op.Security = nil // made-up credentials would tell the receiver nothing
		r.sources[op] = withParameters(m.Value, item.Get("parameters"))
		all = append(all, &contract.Callback{Name: name, Address: address, Operation: op})
	}
	if len(all) > 1 {
		for _, c := range all {
			c.Name += "-" + strings.ToLower(c.Operation.Method)
		}
	}
	return all
}
