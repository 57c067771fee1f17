package spec_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

func TestImpairments(t *testing.T) {
	for document, want := range map[string]struct{ text, fault string }{
		`latency: 250ms`:                     {text: "latency 250ms"},
		`latency: 100ms..2m`:                 {text: "latency 100ms..2m"},
		`latency: { p50: 80ms, p99: 900ms }`: {text: "latency p50 80ms, p99 900ms"},
		`errors: { rate: 30%, status: [503, 429], retryAfter: 5s }`: {text: "errors 30% with 429, 503, retry after 5s"},
		`errors: { next: 3, status: { 503: 3, 500: 1 } }`:           {text: "errors for the next 3 with 500, 503"},
		`errors: { every: 4 }`:                                      {text: "errors for every 4. call"},
		`errors: { first: 2, of: "header:X-Run", status: 500 }`:     {text: "errors for the first 2 of each caller with 500"},
		`limit: { calls: 60, per: 1m, of: caller, inFlight: 2 }`:    {text: "limit 60 in 1m, 2 at once"},
		`connection: drop`: {text: "connection drop"},
		`connection: { effect: cut-body, rate: 0.5%, line: a }`: {text: "connection cut-body 0.5%, line a"},
		`connection: { bytesPerSecond: 2000, pause: 1s }`:       {text: "connection 2000 bytes a second, a pause of 1s every 1024 bytes"},
		"outage: { as: 503, for: 20s, every: 2m }\nseed: 7":     {text: "outage (503) for 20s in every 2m"},
		`latency: recorded`: {text: "latency recorded"},
		`latency: { measured: { "": [1ms, 2ms, 3ms], a: [5ms] } }`: {text: "latency as recorded (p50 2ms, p99 3ms)"},
		`latency: { measured: { a: [5ms] } }`:                      {fault: `under ""`},
		`latency: { measured: { "": [5ms, 1ms] } }`:                {fault: "in ascending order"},
		`latency: { measured: { "": [] } }`:                        {fault: `under ""`},
		`latency: { measured: { "": [1ms] }, p50: 1ms }`:           {fault: "not both"},
		`latency: { measured: { "": [1ms], a: [2h] } }`:            {fault: "at most 1h"},
		`latency: fast`:                           {fault: "must be a time such as 250ms"},
		`latency: 2s..1s`:                         {fault: "must grow"},
		`latency: { p99: 1s }`:                    {fault: "needs p50 and p99"},
		`latency: 2h`:                             {fault: "at most 1h"},
		`errors: { rate: 130% }`:                  {fault: "from 0% to 100%"},
		`errors: { rate: 30 }`:                    {fault: "from 0% to 100%"},
		`errors: { status: 503 }`:                 {fault: "one of rate"},
		`errors: { next: 1, every: 2 }`:           {fault: "one of rate"},
		`errors: { next: 1, status: 200 }`:        {fault: "statuses from 300 to 999"},
		`errors: { next: 1, status: { 503: 0 } }`: {fault: "weight from 1 to 1000"},
		`limit: { calls: 60 }`:                    {fault: "calls (at most 100000) and per"},
		`limit: { inFlight: 1, of: vessel }`:      {fault: "everyone, caller or header:NAME"},
		`connection: explode`:                     {fault: "a connection can drop, reset, hang"},
		`connection: { rate: 5% }`:                {fault: "needs an effect"},
		`connection: { line: a, pause: 1s }`:      {fault: "not both"},
		`connection: { speed: 1 }`:                {fault: "speed"},
		`outage: { as: maybe }`:                   {fault: "drop, reset, hang, or a status"},
		`outage: { as: 503, every: 2m }`:          {fault: "shorter than the time"},
		`speed: 1`:                                {fault: "speed"},
	} {
		i, err := spec.ReadImpairment([]byte(document))
		if want.fault != "" {
			assert.ErrorContains(t, err, want.fault, document)
			continue
		}
		require.NoError(t, err, document)
		assert.Equal(t, want.text, i.String())
		text, err := json.Marshal(i)
		require.NoError(t, err)
		again, err := spec.ReadImpairment(text)
		require.NoError(t, err, "%s", text)
		assert.Equal(t, i, again, "it is read as it was written")
	}
	for name, line := range spec.Lines() {
		assert.NoError(t, spec.CheckLine(name, line))
	}
	assert.Error(t, spec.CheckLine("a b", spec.Line{}))
}
