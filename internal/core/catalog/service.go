package catalog

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// PutService creates a service, or replaces the settings of the one with this
// name or id; its contract and mappings stay. ifMatch may demand a version.
func (c *Catalog) PutService(ctx context.Context, nameOrID string, s spec.Service, ifMatch string) (service *Service, created bool, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	old := edit.next.Find(nameOrID)
	if old == nil && demandsOne(ifMatch) {
		return nil, false, notFound("service", nameOrID, edit.next.Names())
	}
	if old != nil {
		if err := checkTag(ifMatch, old.Version, "service "+strconv.Quote(old.Spec.Name)); err != nil {
			return old, false, err
		}
	}
	service, err = edit.writeService(ctx, old, s)
	if err != nil {
		return nil, false, err
	}
	return service, old == nil, edit.commitUnless(ctx, service == old)
}

// CreateServices creates services, all of them or, when one cannot be used, none. A name
// that is taken is refused, unless the document was read from the service that has it:
// then its settings are replaced. Tags are the versions that the documents were read at,
// in their order. When one has another, that is the only service that is returned.
func (c *Catalog) CreateServices(ctx context.Context, services []spec.Service, tags ...string) (made []*Service, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	unchanged := true
	for i, s := range services {
		old := edit.next.Named(s.Name)
		if old != nil && (i >= len(tags) || tags[i] == "") {
			return nil, nameTaken(s.Name)
		}
		if old != nil {
			if err := checkTag(tags[i], old.Version, "service "+strconv.Quote(s.Name)); err != nil {
				return []*Service{old}, err
			}
		}
		service, err := edit.writeService(ctx, old, s)
		if err != nil {
			return nil, err
		}
		made, unchanged = append(made, service), unchanged && service == old
	}
	return made, edit.commitUnless(ctx, unchanged)
}

// writeService makes a service of settings, or gives them to the one that is old; the
// same settings leave it as it is.
func (e *edit) writeService(ctx context.Context, old *Service, s spec.Service) (*Service, error) {
	if taken := e.next.Named(s.Name); taken != nil && taken != old {
		return nil, nameTaken(s.Name)
	}
	if err := e.catalog.checkHosts(ctx, s, old, e.next); err != nil {
		return nil, err
	}
	if old == nil {
		if err := checkOtherwise(s, nil); err != nil {
			return nil, err
		}
		if err := e.next.checkUpstream(s, nil); err != nil {
			return nil, err
		}
		return e.putService(nil, e.catalog.newServiceLocked(s), parts{}), nil
	}
	s.VariableTable = s.VariableTable.Keeping(old.Spec.VariableTable)
	variables := e.next.variableNames(s.VariableTable)
	if err := checkExamples(s, old); err != nil {
		return nil, err
	}
	if err := checkPins(s, old, variables); err != nil {
		return nil, err
	}
	if err := checkMemory(s, old); err != nil {
		return nil, err
	}
	if err := checkOtherwise(s, old.Payloads); err != nil {
		return nil, err
	}
	if err := e.next.checkUpstream(s, old); err != nil {
		return nil, err
	}
	if settingsDigest(s) == settingsDigest(old.Spec) && s.VariableTable.Same(old.Spec.VariableTable) {
		return old, nil
	}
	s.ID = old.Spec.ID
	before := e.next
	service := e.putService(old, StoredService{Service: s, Version: e.catalog.nextLocked()}, old.parts())
	if s.Name != old.Spec.Name {
		e.renameTargets()
		e.renameInChanges(old.Spec.Name, s.Name)
	} else if err := problem.FromItems("the service cannot be used", e.next.missedVariables(before)); err != nil {
		return nil, err
	}
	return service, nil
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
	made, err := c.CreateServices(ctx, []spec.Service{s})
	if err != nil {
		return nil, err
	}
	return made[0], nil
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
