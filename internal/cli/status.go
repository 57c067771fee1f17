package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

func (p Program) statusCommand() *cli.Command {
	return &cli.Command{
		Name: "status", Usage: "what is on now: scenario, lanes, modes, impairments", OnUsageError: usageError,
		UsageText: "rapidmimic status\nrapidmimic status --lane night-run -o json",
		Flags:     []cli.Flag{laneFlag("as this `LANE` has it")}, Action: p.status,
	}
}

func (p Program) status(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	status, err := api.LaneStatus(ctx, c.String("lane"))
	if err != nil {
		return err
	}
	return p.print(c, status, nil, func() { p.sayStatus(status) })
}

func (p Program) sayStatus(s api.Status) {
	where, address := "calls in no lane", s.Traffic
	if s.Lane != "" {
		where, address = "lane "+s.Lane, s.Traffic+"/@"+s.Lane
	}
	p.say("answers   %s/SERVICE, Rapid Mimic %s", address, s.Version)
	p.say("scenario  %s", activeText(s.Scenario))
	if s.VariableSet != "" {
		p.say("variables set %s is in use (rapidmimic variables use --none)", s.VariableSet)
	}
	byMode := make(map[string][]string)
	for _, name := range slices.Sorted(maps.Keys(s.Modes)) {
		byMode[s.Modes[name]] = append(byMode[s.Modes[name]], name)
	}
	var modes []string
	for _, mode := range slices.Sorted(maps.Keys(byMode)) {
		modes = append(modes, mode+": "+strings.Join(byMode[mode], ", "))
	}
	p.say("services  %s", strings.Join(modes, "; "))
	switch {
	case s.ImpairmentsOff:
		p.say("impaired  nothing, all impairments are switched off (rapidmimic impair on)")
	case len(s.Impaired) == 0:
		p.say("impaired  nothing")
	default:
		p.say("impaired  %s", strings.Join(s.Impaired, ", "))
	}
	if len(s.PublicHosts) > 0 {
		p.say("answers   for %s, which is on the public internet (services list it)", strings.Join(s.PublicHosts, ", "))
	}
	if len(s.Lanes) > 0 {
		p.say("lanes     %s", strings.Join(s.Lanes, ", "))
	}
	text := fmt.Sprintf("%d in the last minute for %s", sum(s.LastMinute), where)
	if s.Lane == "" {
		text = fmt.Sprintf("%d in the last minute, %d in the log", sum(s.LastMinute), s.CallsStored)
	}
	p.say("calls     %s", text)
	p.sayMissing("          ", s)
	if s.CallsSlowed > 0 {
		p.say("          slowed: callers waited after %s until the log had caught up", counted(int(s.CallsSlowed), "call"))
	}
	if q := s.Quotas; q != nil {
		p.say("quotas    a token: %s requests a second, %s changes a minute, %s lanes; a lane: %s calls a second, %s mappings",
			share(q.RequestsPerSecond), share(q.ChangesPerMinute), share(q.LanesPerToken), share(q.LaneCallsPerSecond), share(q.LaneMappings))
	}
	for _, fault := range s.Faults {
		p.say("fault     %s", fault)
	}
}

// share is a quota in words.
func share(most int) string {
	if most == 0 {
		return "any number of"
	}
	return strconv.Itoa(most)
}
