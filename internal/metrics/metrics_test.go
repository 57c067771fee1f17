package metrics_test

import (
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/metrics"
)

type source struct{}

func (source) Totals() map[string]map[call.Source]int64 {
	return map[string]map[call.Source]int64{"moorings": {call.FromMapping: 3, call.FromMiss: 1}, "": {call.FromSelf: 2}}
}
func (source) Stored() int64     { return 6 }
func (source) NotKept() int64    { return 4 }
func (source) Slowed() int64     { return 17 }
func (source) NotChecked() int64 { return 5 }

func TestMetricsTellWhatIsSoAtTheScrape(t *testing.T) {
	w := httptest.NewRecorder()
	metrics.Handler(source{}, func() (int, int) { return 2, 7 }, func() metrics.Limits { return metrics.Limits{11, 12, 13, 14, 15, 16} }).ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	for _, line := range []string{
		`rapidmimic_calls_total{service="moorings",source="mapping"} 3`,
		`rapidmimic_calls_total{service="moorings",source="miss"} 1`,
		`rapidmimic_calls_total{service="",source="self"} 2`,
		"rapidmimic_calls_stored 6", "rapidmimic_calls_not_kept_total 4", "rapidmimic_calls_not_checked_total 5", "rapidmimic_calls_slowed_total 17",
		"rapidmimic_faults_total 11", "rapidmimic_callers_forgotten_total 12", `rapidmimic_memory_refused_total{what="body"} 13`,
		`rapidmimic_memory_refused_total{what="upload"} 14`, "rapidmimic_connections_open 15", "rapidmimic_connections_closed_total 16",
		"rapidmimic_services 2", "rapidmimic_mappings 7", "go_goroutines", "process_resident_memory_bytes",
	} {
		assert.Contains(t, w.Body.String(), line)
	}
}
