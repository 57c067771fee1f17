package catalog

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// PutService creates a service, or replaces the settings of the one with this
// name or id; its contract and mappings stay. ifMatch may demand a version.
func (c *Catalog) PutService(ctx context.Context, nameOrID string, s spec.Service, ifMatch string) (service *Service, created bool, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	snapshot := c.Snapshot()
	old := snapshot.Find(nameOrID)
	if taken := snapshot.Named(s.Name); taken != nil && taken != old {
		return nil, false, nameTaken(s.Name)
	}
	if old == nil {
		if demandsOne(ifMatch) {
			return nil, false, notFound("service", nameOrID, snapshot.Names())
		}
		service, err = c.createLocked(ctx, s)
		return service, true, err
	}
	if err := checkTag(ifMatch, old.Version, "service "+strconv.Quote(old.Spec.Name)); err != nil {
		return old, false, err
	}
	if err := c.checkHosts(ctx, s, old, snapshot); err != nil {
		return nil, false, err
	}
	if err := checkExamples(s, old); err != nil {
		return nil, false, err
	}
	if err := checkPins(s, old); err != nil {
		return nil, false, err
	}
	if err := checkOtherwise(s, old.Payloads); err != nil {
		return nil, false, err
	}
	s.ID = old.Spec.ID
	edit := c.editLocked()
	service = edit.putService(old, StoredService{Service: s, Version: c.nextLocked()}, old.parts())
	if s.Name != old.Spec.Name {
		edit.renameTargets()
		edit.renameInChanges(old.Spec.Name, s.Name)
	}
	return service, false, edit.commit(ctx)
}

// checkHosts refuses hosts that another service lists, and new ones that may not be
// listed, or not without being confirmed.
func (c *Catalog) checkHosts(ctx context.Context, s spec.Service, old *Service, snapshot *Snapshot) error {
	var items []problem.Item
	for i, host := range s.Hosts {
		item := problem.Item{At: "/hosts/" + strconv.Itoa(i)}
		other := snapshot.lister(host)
		if old != nil && slices.Contains(old.Spec.Hosts, host) {
			continue
		}
		if other != nil && other != old {
			item.Detail = fmt.Sprintf("host %q is listed by service %q", host, other.Spec.Name)
		} else if c.hosts != nil {
			name, _ := spec.SplitHost(host)
			confirm, err := c.hosts(name)
			switch {
			case err != nil:
				item.Detail = fmt.Sprintf("host %q cannot be listed: %v", host, err)
			case confirm && !isConfirmed(ctx):
				item.Detail = fmt.Sprintf("host %q is on the public internet: whoever trusts the authority here gets what this service answers instead", host)
				item.Hint = &problem.Hint{Code: problem.ConfirmHosts, Service: s.Name}
			}
		}
		if item.Detail != "" {
			items = append(items, item)
		}
	}
	return problem.FromItems("the hosts cannot be set", items)
}

// PublicHosts are the hosts of the public internet that services list: those that
// somebody had to confirm.
func (c *Catalog) PublicHosts() (hosts []string) {
	if c.hosts == nil {
		return nil
	}
	for _, service := range c.Snapshot().Services() {
		for _, host := range service.Spec.Hosts {
			name, _ := spec.SplitHost(host)
			if confirm, err := c.hosts(name); (confirm || err != nil) && !slices.Contains(hosts, name) {
				hosts = append(hosts, name)
			}
		}
	}
	return hosts
}

// checkExamples refuses a newly chosen example that the contract does not have.
// One that was chosen before may have gone with a revision; it is kept, in case
// it comes back.
func checkExamples(s spec.Service, old *Service) error {
	var items []problem.Item
	for id, name := range s.Examples {
		if old.Spec.Examples[id] == name {
			continue
		}
		at := "/examples/" + id
		op := old.Operation(id)
		switch {
		case op == nil:
			items = append(items, problem.Item{At: at, Detail: notFound("operation", id, old.operationIDs()).Error()})
		case op.Named(name) == nil:
			items = append(items, problem.Item{At: at, Detail: notFound("example", name, op.ExampleNames()).Error()})
		}
	}
	return problem.FromItems("the examples cannot be chosen", items)
}

// checkPins refuses pins that cannot be compiled, and new ones of operations
// that the contract does not have.
func checkPins(s spec.Service, old *Service) error {
	var items []problem.Item
	for id, pins := range s.Pins {
		at := tree.Join("/pins", id)
		if old.Spec.Pins[id] == nil && old.Operation(id) == nil {
			items = append(items, problem.Item{At: at, Detail: notFound("operation", id, old.operationIDs()).Error()})
		}
		_, faults := contract.CompilePins(pins)
		for _, fault := range faults {
			fault.At, fault.Line, fault.Col = at+fault.At, 0, 0 // of the value alone
			items = append(items, fault)
		}
	}
	return problem.FromItems("the pins cannot be set", items)
}

// checkOtherwise refuses an answer that cannot be compiled.
func checkOtherwise(s spec.Service, payloads answer.Payloads) error {
	own, at := s.OtherwiseAnswer()
	if own == nil {
		return nil
	}
	_, faults := compileReply(*own, at, payloads)
	return problem.FromItems("the service cannot be used", faults)
}

// CreateService creates a service and refuses a name that is taken.
func (c *Catalog) CreateService(ctx context.Context, s spec.Service) (*Service, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.Snapshot().Named(s.Name) != nil {
		return nil, nameTaken(s.Name)
	}
	return c.createLocked(ctx, s)
}

func (c *Catalog) createLocked(ctx context.Context, s spec.Service) (*Service, error) {
	if err := c.checkHosts(ctx, s, nil, c.Snapshot()); err != nil {
		return nil, err
	}
	if err := checkOtherwise(s, nil); err != nil {
		return nil, err
	}
	edit := c.editLocked()
	service := edit.putService(nil, c.newServiceLocked(s), parts{})
	return service, edit.commit(ctx)
}

func (c *Catalog) newServiceLocked(s spec.Service) StoredService {
	version := c.nextLocked()
	s.ID = "s-" + strconv.FormatInt(version, 36)
	return StoredService{Service: s, Version: version}
}

func nameTaken(name string) error {
	return problem.New(problem.Exists, "service %q already exists (choose another name, or import into it)", name)
}

// RemoveService removes a service with its contract and mappings. Its calls
// stay in the log.
func (c *Catalog) RemoveService(ctx context.Context, nameOrID, ifMatch string) (*Service, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	if err := checkTag(ifMatch, old.Version, "service "+strconv.Quote(old.Spec.Name)); err != nil {
		return old, err
	}
	edit := c.editLocked()
	edit.change.RemoveServices = []string{old.Spec.ID}
	edit.replace(old, nil)
	edit.removeImpairments(func(i *Impairment) bool { return i.ServiceID == old.Spec.ID })
	return old, edit.commit(ctx)
}
