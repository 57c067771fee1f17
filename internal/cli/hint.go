package cli

import (
	"fmt"
	"strings"

	"rapidmimic.example/spec/problem"
)

// hintTexts say what can be done, with the name of a service in place of NAME.
var hintTexts = map[problem.HintCode]string{
	problem.ImportInto:   "--into NAME makes this its new revision, --name makes another service",
	problem.SetUpstream:  "set one: rapidmimic service set NAME --upstream URL",
	problem.ConfirmHosts: "list it all the same: --yes",
	problem.AskUpstream:  "let it: rapidmimic service set NAME --otherwise example,generated,upstream",
}

// sayHint tells what can be done about a problem, where that is known.
func (p Program) sayHint(h *problem.Hint) {
	if h == nil {
		return
	}
	if text := hintTexts[h.Code]; text != "" {
		fmt.Fprintln(p.Err, strings.ReplaceAll(text, "NAME", h.Service))
	}
}
