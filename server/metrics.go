package server

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// meters is what a server measures of itself.
type meters struct {
	all      *prometheus.Registry
	requests *prometheus.HistogramVec
	findings prometheus.Histogram
	reads    *prometheus.CounterVec
	rounds   prometheus.Counter
}

func (s *Server) measure() {
	one := meters{all: prometheus.NewRegistry()}
	one.requests = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "klammer_request_seconds", Help: "How long requests took, by route and status; edits are POST /api/offices/:id/edits.",
		Buckets: []float64{.002, .005, .01, .02, .05, .1, .2, .5, 1, 2, 5, 15},
	}, []string{"route", "status"})
	one.findings = prometheus.NewHistogram(prometheus.HistogramOpts{
		Name: "klammer_findings_seconds", Help: "How long it took to work an office out, or what an edit changes of it: spans, findings, and what pages are told.",
		Buckets: []float64{.0005, .001, .002, .005, .01, .02, .05, .1, .2, .5, 1, 2, 5},
	})
	one.reads = prometheus.NewCounterVec(prometheus.CounterOpts{Name: "klammer_device_reads_total", Help: "Devices that were read, by whether they told."}, []string{"result"})
	one.rounds = prometheus.NewCounter(prometheus.CounterOpts{Name: "klammer_rounds_total", Help: "Rounds of plug tests that were worked out."})
	gauge := func(name, help string, value func() float64) {
		one.all.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, value))
	}
	gauge("klammer_streams", "Pages that listen.", func() float64 { return float64(s.streams.count()) })
	gauge("klammer_offices_open", "Offices that are kept worked out.", func() float64 {
		s.mu.Lock()
		defer s.mu.Unlock()
		n := 0
		for _, room := range s.rooms {
			if room.look() != nil {
				n++
			}
		}
		return float64(n)
	})
	if s.store != nil {
		gauge("klammer_pool_connections", "Connections to the database.", func() float64 { return float64(s.store.Pool().Total) })
		gauge("klammer_pool_busy", "Connections to the database that are in use.", func() float64 { return float64(s.store.Pool().Busy) })
	}
	one.all.MustRegister(one.requests, one.findings, one.reads, one.rounds, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	s.meters = one
}

// Metrics is what the server measures of itself, in the text format of Prometheus. It is
// for a port of its own, on this machine.
func (s *Server) Metrics() http.Handler {
	return promhttp.HandlerFor(s.meters.all, promhttp.HandlerOpts{})
}

// timed measures a route; streams last as long as a page is open, and are counted.
func (s *Server) timed(route route) fiber.Handler {
	name := route.method + " " + route.path
	return func(c fiber.Ctx) error {
		start := time.Now()
		err := c.Next()
		if route.path != "/api/offices/:id/events" {
			status := c.Response().StatusCode()
			if err != nil { // the answer is made further out
				status = s.statusOf(err)
			}
			s.meters.requests.WithLabelValues(name, fmt.Sprint(status)).Observe(time.Since(start).Seconds())
		}
		return err
	}
}

// probes answers whether the process lives, and whether it can work: for whoever starts it
// again, or sends people here.
func (s *Server) probes() {
	s.app.Get("/livez", func(c fiber.Ctx) error { return c.SendString("ok\n") })
	s.app.Get("/readyz", func(c fiber.Ctx) error {
		ctx, stop := context.WithTimeout(c.Context(), 3*time.Second)
		defer stop()
		if err := s.store.Ready(ctx); err != nil {
			return c.Status(fiber.StatusServiceUnavailable).SendString("the database does not take edits\n")
		}
		return c.SendString("ok\n")
	})
}
