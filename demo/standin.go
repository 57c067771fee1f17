package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/client"
)

// StandIns plays the real services of the port, so that there is something to
// relay to and to record: it has state of its own, keeps to the contracts and
// takes its time. It is marked as a stand-in in every answer. Beside them it
// serves the quay board, a program that uses all three.
type StandIns struct {
	delay time.Duration
	mux   *http.ServeMux

	mu       sync.Mutex // guards what follows
	berths   []berth
	bookings []booking
	booked   int // since the start
	warnings []warning
	holds    []hold
	services string // where the board calls the services; see SetBoard
}

// NewStandIns builds the stand-ins; each answer takes about delay.
func NewStandIns(delay time.Duration) *StandIns {
	s := &StandIns{delay: delay, mux: http.NewServeMux()}
	s.playMoorings()
	s.playTides()
	s.playCustoms()
	s.showBoard()
	return s
}

// ServeHTTP implements http.Handler.
func (s *StandIns) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.URL.Path == "/" || strings.HasPrefix(r.URL.Path, "/board/") {
		s.mux.ServeHTTP(w, r)
		return
	}
	select {
	case <-time.After(s.delay):
	case <-r.Context().Done():
		return
	}
	w.Header().Set("X-Stand-In", "Skerry Sound")
	w.Header().Set("Access-Control-Allow-Origin", "*")
	w.Header().Set("Access-Control-Expose-Headers", "Retry-After")
	if r.Method == http.MethodOptions {
		w.Header().Set("Access-Control-Allow-Headers", "Content-Type, SOAPAction")
		w.WriteHeader(http.StatusNoContent)
		return
	}
	s.mux.ServeHTTP(w, r)
}

func answer(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body) // a caller that left is nobody to tell
}

func refuse(w http.ResponseWriter, status int, title, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"type": "about:blank", "title": title, "status": status, "detail": detail})
}

// Run plays the stand-ins on a listener until ctx ends.
func (s *StandIns) Run(ctx context.Context, l net.Listener) error {
	server := &http.Server{Handler: s, ReadHeaderTimeout: 10 * time.Second}
	stop := context.AfterFunc(ctx, func() { _ = server.Close() })
	defer stop()
	if err := server.Serve(l); err != http.ErrServerClosed {
		return fmt.Errorf("play the stand-ins: %w", err)
	}
	return nil
}

// SetUpstreams makes the stand-ins at a base URL the upstreams of the services
// that have none.
func SetUpstreams(ctx context.Context, api *client.Client, base string) error {
	for _, name := range Services() {
		service, err := api.Service(ctx, name)
		if err != nil {
			return err
		}
		if service.Upstream != "" {
			continue
		}
		patch, err := json.Marshal(map[string]string{"upstream": base + "/" + name})
		if err != nil {
			return err
		}
		if _, err := api.PatchService(ctx, name, patch); err != nil {
			return fmt.Errorf("give %s its stand-in: %w", name, err)
		}
	}
	return nil
}
