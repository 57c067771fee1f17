// Package metrics shows the state of the environment to Prometheus. It asks
// when it is scraped and keeps no counters of its own, so calls pay nothing.
package metrics

import (
	"net/http"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"rapidmimic.example/internal/core/call"
)

// Source is what is measured. Its methods are called for each scrape.
type Source interface {
	// Totals are calls since the start by service and source.
	Totals() map[string]map[call.Source]int64
	// Stored is how many calls the log holds, NotKept how many it could not
	// take.
	Stored() int64
	NotKept() int64
	// Slowed counts the calls after which the caller waited for the log.
	Slowed() int64
	NotChecked() int64
}

// Definitions counts what is defined.
type Definitions func() (services, mappings int)

// Limits counts what was done to stay within the limits of the service.
type Limits struct {
	// Faults are pieces of work given up over a fault of ours.
	Faults int64
	// CallersForgotten are callers whose counters and limits gave way to others'.
	CallersForgotten int64
	// BodiesRefused and UploadsRefused are those for which memory was lacking.
	BodiesRefused, UploadsRefused int64
	// ConnectionsOpen are those of the traffic port and the proxy, ConnectionsClosed
	// idle ones of them that were closed for others.
	ConnectionsOpen, ConnectionsClosed int64
}

var (
	callsTotal = prometheus.NewDesc("rapidmimic_calls_total", "Calls received, by service and by who answered.", []string{"service", "source"}, nil)
	stored     = prometheus.NewDesc("rapidmimic_calls_stored", "Calls in the log.", nil, nil)
	notKept    = prometheus.NewDesc("rapidmimic_calls_not_kept_total", "Calls answered that the log could not take.", nil, nil)
	slowed     = prometheus.NewDesc("rapidmimic_calls_slowed_total", "Calls after which the caller waited until the log had caught up.", nil, nil)
	notChecked = prometheus.NewDesc("rapidmimic_calls_not_checked_total", "Calls kept that came too fast to be held against their contracts.", nil, nil)
	services   = prometheus.NewDesc("rapidmimic_services", "Services defined.", nil, nil)
	faults     = prometheus.NewDesc("rapidmimic_faults_total", "Pieces of work given up over a fault of Rapid Mimic.", nil, nil)
	forgotten  = prometheus.NewDesc("rapidmimic_callers_forgotten_total", "Callers whose counters and limits gave way to those of others.", nil, nil)
	refused    = prometheus.NewDesc("rapidmimic_memory_refused_total", "Bodies of calls and uploads refused because memory was lacking.", []string{"what"}, nil)
	open       = prometheus.NewDesc("rapidmimic_connections_open", "Connections of the traffic port and the proxy.", nil, nil)
	closed     = prometheus.NewDesc("rapidmimic_connections_closed_total", "Idle connections closed to make room for others.", nil, nil)
	mappings   = prometheus.NewDesc("rapidmimic_mappings", "Mappings defined.", nil, nil)
)

type collector struct {
	source      Source
	definitions Definitions
	limits      func() Limits
}

// Handler serves the metrics of one environment.
func Handler(source Source, definitions Definitions, limits func() Limits) http.Handler {
	registry := prometheus.NewRegistry()
	registry.MustRegister(collector{source, definitions, limits}, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return promhttp.HandlerFor(registry, promhttp.HandlerOpts{})
}

// Describe implements prometheus.Collector.
func (c collector) Describe(out chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{callsTotal, stored, notKept, slowed, notChecked, services, mappings, faults, forgotten, refused, open, closed} {
		out <- d
	}
}

// Collect implements prometheus.Collector.
func (c collector) Collect(out chan<- prometheus.Metric) {
	for service, sources := range c.source.Totals() {
		for source, n := range sources {
			out <- prometheus.MustNewConstMetric(callsTotal, prometheus.CounterValue, float64(n), service, string(source))
		}
	}
	serviceCount, mappingCount := c.definitions()
	out <- prometheus.MustNewConstMetric(stored, prometheus.GaugeValue, float64(c.source.Stored()))
	out <- prometheus.MustNewConstMetric(notKept, prometheus.CounterValue, float64(c.source.NotKept()))
	out <- prometheus.MustNewConstMetric(slowed, prometheus.CounterValue, float64(c.source.Slowed()))
	out <- prometheus.MustNewConstMetric(notChecked, prometheus.CounterValue, float64(c.source.NotChecked()))
	out <- prometheus.MustNewConstMetric(services, prometheus.GaugeValue, float64(serviceCount))
	out <- prometheus.MustNewConstMetric(mappings, prometheus.GaugeValue, float64(mappingCount))
	limits := c.limits()
	out <- prometheus.MustNewConstMetric(faults, prometheus.CounterValue, float64(limits.Faults))
	out <- prometheus.MustNewConstMetric(forgotten, prometheus.CounterValue, float64(limits.CallersForgotten))
	out <- prometheus.MustNewConstMetric(refused, prometheus.CounterValue, float64(limits.BodiesRefused), "body")
	out <- prometheus.MustNewConstMetric(refused, prometheus.CounterValue, float64(limits.UploadsRefused), "upload")
	out <- prometheus.MustNewConstMetric(open, prometheus.GaugeValue, float64(limits.ConnectionsOpen))
	out <- prometheus.MustNewConstMetric(closed, prometheus.CounterValue, float64(limits.ConnectionsClosed))
}
