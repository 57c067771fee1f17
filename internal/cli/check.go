package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

// checkResult is everything of a service that is out of step with its contract.
type checkResult struct {
	Mappings []api.Mapping    `json:"mappings"`
	Calls    []api.CallDetail `json:"calls"`
	// Undescribed are relayed calls to addresses that no operation describes.
	Undescribed []api.RecordedOperation `json:"undescribed,omitempty"`
	// NotKept and NotChecked are calls of the environment of which nobody knows.
	NotKept    int64 `json:"notKept"`
	NotChecked int64 `json:"notChecked"`
	// Missing says until when calls are missing in the log; "" for none.
	Missing string `json:"missing,omitempty"`
}

// mostChecked is how many deviating calls are looked at one by one.
const mostChecked = 50

// mostRelayed is how many relayed calls are looked at for addresses that no operation
// describes.
const mostRelayed = 500

func (p Program) contractCheck(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	if c.Bool("examples") {
		return p.checkExamples(ctx, c, api, given[0])
	}
	if name := c.String("recording"); name != "" {
		return p.checkRecording(ctx, c, api, given[0], name)
	}
	result, err := check(ctx, api, given[0])
	if err != nil {
		return err
	}
	if err := p.print(c, result, nil, func() { p.sayCheck(given[0], result) }); err != nil {
		return err
	}
	switch {
	case len(result.Mappings)+len(result.Calls)+len(result.Undescribed) > 0:
		return errDoesNotHold
	case result.NotKept+result.NotChecked > 0:
		return fmt.Errorf("%d calls were not kept and %d not checked since the start, so this is undecidable", result.NotKept, result.NotChecked)
	case result.Missing != "":
		return fmt.Errorf("%s, so this is undecidable (rapidmimic calls clear starts the log over)", result.Missing)
	}
	return nil
}

// checkExamples lists the examples of a contract that do not obey their own schemas.
func (p Program) checkExamples(ctx context.Context, c *cli.Command, client *client.Client, service string) error {
	broken, err := client.BrokenExamples(ctx, service)
	if err != nil {
		return err
	}
	if err := p.print(c, broken, nil, func() {
		for _, b := range broken.Items {
			p.say("%s  %s", b.Operation, b.Place)
			p.say("  %s", b.Detail)
		}
		p.say("%s  %s, of %s", service, disobey(len(broken.Items)), counted(broken.Looked, "example"))
		if broken.Looked < broken.Of {
			p.say("the other %d were not looked at", broken.Of-broken.Looked)
		}
	}); err != nil {
		return err
	}
	if len(broken.Items) > 0 {
		return errDoesNotHold
	}
	return nil
}

func check(ctx context.Context, c *client.Client, service string) (result checkResult, err error) {
	result = checkResult{Mappings: []api.Mapping{}, Calls: []api.CallDetail{}}
	mappings, err := c.Mappings(ctx, service)
	if err != nil {
		return result, err
	}
	for _, m := range mappings {
		if len(m.Deviations) > 0 {
			result.Mappings = append(result.Mappings, m)
		}
	}
	found, err := c.Service(ctx, service)
	if err != nil {
		return result, err
	}
	calls, err := c.Calls(ctx, client.CallQuery{Service: found.Name, Text: "deviates", Limit: mostChecked})
	if err != nil {
		return result, err
	}
	for _, call := range calls.Items {
		detail, err := c.Call(ctx, call.ID)
		if err != nil {
			return result, err
		}
		if len(detail.DeviationList) > 0 { // "deviates" may stand in a path too
			result.Calls = append(result.Calls, detail)
		}
	}
	if found.Contract != nil {
		relayed, err := c.Calls(ctx, client.CallQuery{Service: found.Name, Text: "upstream", Limit: mostRelayed})
		if err != nil {
			return result, err
		}
		for _, call := range relayed.Items {
			if call.Source == "upstream" && call.Operation == "" {
				result.Undescribed = countedOn(result.Undescribed, call.Method+" "+call.Path)
			}
		}
	}
	status, err := c.Status(ctx)
	result.NotKept, result.NotChecked, result.Missing = status.CallsNotKept, status.CallsNotChecked, status.CallsMissing
	return result, err
}

func (p Program) sayCheck(service string, result checkResult) {
	for _, m := range result.Mappings {
		p.say("mapping %s, %s %s", m.ID, methodsText(m), m.Call.Path)
		for _, d := range m.Deviations {
			p.say("  %s: %s", d.Where, d.Detail)
		}
	}
	for _, call := range result.Calls {
		p.say("call %s, %s %s, %d by %s", call.ID, call.Method, call.Path, call.Status, call.Source)
		for _, d := range call.DeviationList {
			p.say("  %s, %s: %s", d.Side, d.Where, d.Detail)
		}
	}
	p.sayUndescribed(result.Undescribed)
	if len(result.Mappings)+len(result.Calls)+len(result.Undescribed) == 0 {
		p.say("%s  nothing in the log and no mapping deviates from the contract", service)
		return
	}
	summary := fmt.Sprintf("%s  out of step with the contract: mappings %d, calls %d", service, len(result.Mappings), len(result.Calls))
	if len(result.Undescribed) > 0 {
		summary += fmt.Sprintf(", addresses that no operation describes %d", len(result.Undescribed))
	}
	p.say("%s", summary)
}

// countedOn counts one more call to an address.
func countedOn(addresses []api.RecordedOperation, address string) []api.RecordedOperation {
	for i := range addresses {
		if addresses[i].Call == address {
			addresses[i].Count++
			return addresses
		}
	}
	return append(addresses, api.RecordedOperation{Call: address, Count: 1})
}

func (p Program) sayUndescribed(addresses []api.RecordedOperation) {
	for _, a := range addresses {
		p.say("no operation describes %s (%s)", a.Call, counted(a.Count, "relayed call"))
	}
}

// checkRecording holds what the upstream once answered against the contract: it
// tells whether the contract is true.
func (p Program) checkRecording(ctx context.Context, c *cli.Command, environment *client.Client, service, name string) error {
	calls, err := environment.CheckRecording(ctx, service, name)
	if err != nil {
		return err
	}
	deviating, unknown := []api.RecordedCall{}, 0
	var undescribed []api.RecordedOperation
	for _, call := range calls {
		if len(call.Deviations) > 0 {
			deviating = append(deviating, call)
		}
		if call.Operation == "" {
			unknown++
			undescribed = countedOn(undescribed, call.Method+" "+call.Path)
		}
	}
	err = p.print(c, deviating, nil, func() {
		for _, call := range deviating {
			p.say("call %s, %s %s, %d by upstream", call.ID, call.Method, target(call), call.Status)
			for _, d := range call.Deviations {
				p.say("  %s, %s: %s", d.Side, d.Where, d.Detail)
			}
		}
		p.sayUndescribed(undescribed)
		p.say("%s  of %d recorded calls %d break the contract, %d are for no operation of it", service, len(calls), len(deviating), unknown)
	})
	if err == nil && len(deviating)+unknown > 0 {
		return errDoesNotHold
	}
	return err
}
