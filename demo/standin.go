package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net"
	"net/http"
	"slices"
	"sync"
	"time"

	"rapidmimic/client"
)

// StandIns plays the real services of the port, so that there is something to
// relay to and to record: it has state of its own and takes its time. It is
// marked as a stand-in in every answer.
type StandIns struct {
	delay time.Duration
	mux   *http.ServeMux

	mu       sync.Mutex // guards berths and bookings
	berths   []berth
	bookings []booking
}

type berth struct {
	Number  string   `json:"number"`
	Pier    string   `json:"pier"`
	Length  float64  `json:"lengthMetres"`
	Draught float64  `json:"draughtMetres"`
	State   string   `json:"state"`
	Offers  []string `json:"services"`
}

type booking struct {
	Reference string          `json:"reference"`
	Berth     string          `json:"berth"`
	Vessel    json.RawMessage `json:"vessel"`
	From      string          `json:"from"`
	Until     string          `json:"until"`
	State     string          `json:"state"`
}

// NewStandIns builds the stand-ins; each answer takes about delay.
func NewStandIns(delay time.Duration) *StandIns {
	s := &StandIns{delay: delay, mux: http.NewServeMux(), berths: []berth{
		{"N7", "north", 24.5, 4.2, "free", []string{"water", "power"}}, {"N8", "north", 18, 3.1, "taken", []string{"water"}},
		{"N13", "north", 18, 3.1, "closed", nil}, {"S4", "south", 32, 5.5, "free", []string{"water", "power", "crane"}}, {"W1", "west", 12, 2.4, "free", nil},
	}}
	s.mux.HandleFunc("GET /moorings/berths", s.listBerths)
	s.mux.HandleFunc("GET /moorings/berths/{number}", s.getBerth)
	s.mux.HandleFunc("POST /moorings/berths/{number}/bookings", s.book)
	s.mux.HandleFunc("GET /moorings/bookings/{reference}", s.getBooking)
	s.mux.HandleFunc("GET /tides/stations", func(w http.ResponseWriter, _ *http.Request) {
		answer(w, http.StatusOK, []map[string]any{{"id": "inner-quay", "name": "Inner quay"}, {"id": "lamp-skerry", "name": "Lamp Skerry"}})
	})
	s.mux.HandleFunc("GET /tides/stations/{id}/level", func(w http.ResponseWriter, _ *http.Request) {
		now := time.Now().UTC()
		metres := math.Round(100*(1.9+1.6*math.Sin(float64(now.Unix())/600))) / 100
		answer(w, http.StatusOK, map[string]any{"metres": metres, "at": now.Format(time.RFC3339), "trend": "rising"})
	})
	return s
}

// ServeHTTP implements http.Handler.
func (s *StandIns) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	select {
	case <-time.After(s.delay):
	case <-r.Context().Done():
		return
	}
	w.Header().Set("X-Stand-In", "Skerry Sound")
	s.mux.ServeHTTP(w, r)
}

func answer(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body) // a caller that left is nobody to tell
}

func notThere(w http.ResponseWriter, what string) {
	answer(w, http.StatusNotFound, map[string]any{"title": "Not found", "status": 404, "detail": what + " is not known here."})
}

func (s *StandIns) listBerths(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	query := r.URL.Query()
	list := []berth{}
	for _, b := range s.berths {
		if (query.Get("pier") == "" || query.Get("pier") == b.Pier) && (query.Get("free") != "true" || b.State == "free") {
			list = append(list, b)
		}
	}
	answer(w, http.StatusOK, list)
}

// findLocked is the berth with a number; nil when there is none.
func (s *StandIns) findLocked(number string) *berth {
	i := slices.IndexFunc(s.berths, func(b berth) bool { return b.Number == number })
	if i < 0 {
		return nil
	}
	return &s.berths[i]
}

func (s *StandIns) getBerth(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if b := s.findLocked(r.PathValue("number")); b != nil {
		answer(w, http.StatusOK, b)
		return
	}
	notThere(w, "Berth "+r.PathValue("number"))
}

func (s *StandIns) book(w http.ResponseWriter, r *http.Request) {
	var wanted booking
	if err := json.NewDecoder(r.Body).Decode(&wanted); err != nil {
		answer(w, http.StatusBadRequest, map[string]any{"title": "Not a booking", "status": 400})
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	b := s.findLocked(r.PathValue("number"))
	switch {
	case b == nil:
		notThere(w, "Berth "+r.PathValue("number"))
	case b.State != "free":
		answer(w, http.StatusConflict, map[string]any{"title": "The berth is " + b.State, "status": 409})
	default:
		b.State = "taken"
		wanted.Reference, wanted.Berth, wanted.State = fmt.Sprintf("B-%d", 3001+len(s.bookings)), b.Number, "confirmed"
		s.bookings = append(s.bookings, wanted)
		w.Header().Set("Location", "/moorings/bookings/"+wanted.Reference)
		answer(w, http.StatusCreated, wanted)
	}
}

func (s *StandIns) getBooking(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, b := range s.bookings {
		if b.Reference == r.PathValue("reference") {
			answer(w, http.StatusOK, b)
			return
		}
	}
	notThere(w, "Booking "+r.PathValue("reference"))
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
	for _, name := range []string{"moorings", "tides"} {
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
