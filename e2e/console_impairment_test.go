package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

// A service is made to fail in the console, which says so everywhere, tells how
// callers took it, and makes it good again with one switch.
func TestConsoleImpairments(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	p := s.page("/services/moorings/trouble")
	must(t, p.Press("Failing"), p.Fill("Errors", "100%"), p.Fill("Latency", "5ms..10ms"), p.Fill("Seed", "7"),
		p.WaitText("rapidmimic impair set moorings --latency 5ms..10ms --error-rate 100% --error-status 503,500 --seed 7"), p.Press("Switch on"))
	must(t, p.WaitStrip("impaired: moorings"), p.WaitText("errors 100% with 500, 503; latency 5ms..10ms"))
	resp, _ := s.send(berth, "")
	assert.GreaterOrEqual(t, resp.StatusCode, 500)
	must(t, p.WaitText("given, 1 call"), p.WaitText("latency that is set"), p.WaitText("1 of 1 in the last minute"), p.WaitText("hit 1 of 1 call"))
	must(t, p.Press("Reset"), p.WaitText("Draws, limits and advice of moorings were reset"))
	must(t, p.Fill("Errors", "130%"), p.Press("Switch on"), p.WaitText("must be a share from 0% to 100%"))

	must(t, p.Press("Services"), p.Wait("document.querySelector('[data-service=moorings]').innerText.includes('errors 100%')"))
	must(t, p.Press("Calls"), p.WaitText("impairment"), p.Click("[data-call]"), p.WaitText("Refused by the impairment of moorings: errors 100%, seed 7, draw 1."), p.WaitText("held back"))
	must(t, p.Press("Stop all"), p.WaitStrip("all impairments are off"))
	assert.Equal(t, []int{200}, s.statuses(berth, 1))
	must(t, p.Press("Retries"), p.WaitText("got through"))
	must(t, p.Press("Switch on again"), p.WaitStrip("impaired: moorings"))
	must(t, p.Visit("/services/moorings/trouble"), p.Press("Stop it"), p.WaitText("No longer: errors 100%"), p.Press("Undo"), p.Wait("document.querySelector('[data-impairment]')"))
	list, err := s.api.Impairments(t.Context())
	require.NoError(t, err)
	assert.Len(t, list.Items, 1)
}

// What a colleague switches on meanwhile is neither lost nor overwritten unseen, and
// what only the document says stays when the form is used.
func TestConsoleImpairmentsOfTwo(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	quay := spec.Target{Service: "moorings"}
	on := func() spec.Impairment {
		list, err := s.api.Impairments(t.Context())
		require.NoError(t, err)
		require.Len(t, list.Items, 1)
		return list.Items[0].Impairment
	}
	p := s.page("/services/moorings/trouble")
	must(t, p.Fill("Latency", "5ms"))
	_, err := s.api.SetImpairment(t.Context(), quay, []byte("errors: { next: 3, status: { 503: 3, 429: 1 } }"))
	require.NoError(t, err)
	must(t, p.WaitText("errors for the next 3"), p.Press("Switch on"), p.WaitText("Nothing was switched on: the impairment of moorings already exists"), p.WaitText("Theirs, as it is kept"))
	assert.Equal(t, 3, on().Errors.Next, "nothing is overwritten")
	must(t, p.Press("Take theirs"), p.Wait("[...document.querySelectorAll('input')].some((e) => e.value === 'next 3')"), p.Fill("Latency", "7ms"), p.Press("Switch on"), p.Wait("/On from the next call: .*latency 7ms/.test(document.body.innerText)"))
	assert.Equal(t, 3, on().Errors.Next)
	assert.Equal(t, "7ms", on().Latency.String())
	must(t, p.Press("Document"), p.WaitText("next: 3"), p.Press("Form"), p.Fill("Latency", "9ms"))
	_, err = s.api.RemoveImpairment(t.Context(), quay, false)
	require.NoError(t, err)
	must(t, p.Press("Switch on"), p.WaitText("was switched off by somebody else"), p.Press("Save mine over it"), p.Wait("/On from the next call: .*latency 9ms/.test(document.body.innerText)"))
	assert.Equal(t, "9ms", on().Latency.String())
}
