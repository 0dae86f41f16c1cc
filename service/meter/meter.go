// Package meter counts what a service does, for those who operate it: Prometheus metrics.
package meter

import (
	"net/http"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Meter counts. It is safe for use by several goroutines.
type Meter struct {
	registry    *prometheus.Registry
	connections prometheus.Gauge
	sessions    prometheus.Gauge
	ticks       prometheus.Counter
	late        prometheus.Histogram
	took        prometheus.Histogram
	messages    *prometheus.CounterVec
	bytes       *prometheus.CounterVec
	refusals    *prometheus.CounterVec
	saves       *prometheus.CounterVec
	mismatches  prometheus.Counter
	closed      *prometheus.CounterVec
}

// New counts nothing yet.
func New() *Meter {
	m := &Meter{
		registry: prometheus.NewRegistry(),
		connections: prometheus.NewGauge(prometheus.GaugeOpts{Name: "alluvion_connections",
			Help: "Machines that are connected now."}),
		sessions: prometheus.NewGauge(prometheus.GaugeOpts{Name: "alluvion_sessions",
			Help: "Sessions that are open now."}),
		ticks: prometheus.NewCounter(prometheus.CounterOpts{Name: "alluvion_ticks_total",
			Help: "Ticks of sessions that somebody follows."}),
		late: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "alluvion_tick_late_seconds",
			Help:    "How long after its time a tick began.",
			Buckets: []float64{.001, .002, .005, .01, .02, .05, .1, .2, .5, 1}}),
		took: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "alluvion_tick_seconds",
			Help:    "How long a tick took.",
			Buckets: []float64{.0001, .0002, .0005, .001, .002, .005, .01, .02, .05, .1, .2}}),
		messages: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "alluvion_messages_total",
			Help: "Messages over connections, by way: in or out."}, []string{"way"}),
		bytes: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "alluvion_bytes_total",
			Help: "Bytes of messages over connections, by way: in or out."}, []string{"way"}),
		refusals: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "alluvion_refusals_total",
			Help: "Requests over connections that were refused, by kind."}, []string{"kind"}),
		saves: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "alluvion_saves_total",
			Help: "Saves of players, by outcome: written or failed."}, []string{"outcome"}),
		mismatches: prometheus.NewCounter(prometheus.CounterOpts{Name: "alluvion_mismatches_total",
			Help: "Times that a machine believed something else than it ought to."}),
		closed: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "alluvion_closed_total",
			Help: "Connections that ended, by close code."}, []string{"code"}),
	}
	m.registry.MustRegister(m.connections, m.sessions, m.ticks, m.late, m.took, m.messages, m.bytes, m.refusals,
		m.saves, m.mismatches, m.closed,
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// Nodes adds what is counted where several nodes make one service; each is asked for when somebody looks.
func (m *Meter) Nodes(there, place, behind, waited func() float64) {
	for _, g := range []struct {
		name, help string
		is         func() float64
	}{
		{"alluvion_nodes", "Nodes that were heard lately, this one too.", there},
		{"alluvion_place", "How far this node has applied what all nodes wrote, in messages.", place},
		{"alluvion_apply_lag_messages", "How many messages behind the node this one is that has come furthest.", behind},
		{"alluvion_apply_lag_seconds", "How long the message that was applied last had been written by then.", waited},
	} {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: g.name, Help: g.help}, g.is))
	}
}

// Handler answers with all counts in the Prometheus text format.
func (m *Meter) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
}

// Connected counts a machine that has come (1) or gone (-1).
func (m *Meter) Connected(by int) { m.connections.Add(float64(by)) }

// Opened counts a session that was opened (1) or closed (-1).
func (m *Meter) Opened(by int) { m.sessions.Add(float64(by)) }

// Ticked counts a tick: how late it began, and how long it took.
func (m *Meter) Ticked(late, took time.Duration) {
	m.ticks.Inc()
	m.late.Observe(max(late, 0).Seconds())
	m.took.Observe(took.Seconds())
}

// Sent counts messages that went out.
func (m *Meter) Sent(messages, bytes int) {
	m.messages.WithLabelValues("out").Add(float64(messages))
	m.bytes.WithLabelValues("out").Add(float64(bytes))
}

// Received counts a message that came in.
func (m *Meter) Received(bytes int) {
	m.messages.WithLabelValues("in").Inc()
	m.bytes.WithLabelValues("in").Add(float64(bytes))
}

// Refused counts a request that was refused.
func (m *Meter) Refused(kind string) { m.refusals.WithLabelValues(kind).Inc() }

// Mismatched counts a machine that believed something else.
func (m *Meter) Mismatched() { m.mismatches.Inc() }

// Saved counts saves that were written, or could not be.
func (m *Meter) Saved(players int, ok bool) {
	outcome := "written"
	if !ok {
		outcome = "failed"
	}
	m.saves.WithLabelValues(outcome).Add(float64(players))
}

// Closed counts a connection that ended.
func (m *Meter) Closed(code string) { m.closed.WithLabelValues(code).Inc() }
