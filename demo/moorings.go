package demo

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
)

type vessel struct {
	Name     string  `json:"name"`
	CallSign string  `json:"callSign"`
	Length   float64 `json:"lengthMetres"`
}

type berth struct {
	Number  string   `json:"number"`
	Pier    string   `json:"pier"`
	Length  float64  `json:"lengthMetres"`
	Draught float64  `json:"draughtMetres"`
	State   string   `json:"state"`
	Offers  []string `json:"services"`
	Vessel  *vessel  `json:"vessel,omitempty"`
}

type money struct {
	Amount   string `json:"amount"`
	Currency string `json:"currency"`
}

type extra struct {
	Kind     string `json:"kind"`
	Quantity int    `json:"quantity"`
	Price    money  `json:"price"`
}

type booking struct {
	Reference string  `json:"reference"`
	Berth     string  `json:"berth"`
	Vessel    vessel  `json:"vessel"`
	From      string  `json:"from"`
	Until     string  `json:"until"`
	State     string  `json:"state"`
	Price     money   `json:"price"`
	Extras    []extra `json:"extras"`
}

type due struct {
	Number string  `json:"number"`
	Vessel vessel  `json:"vessel"`
	Issued string  `json:"issued"`
	State  string  `json:"state"`
	Lines  []extra `json:"lines"`
	Total  money   `json:"total"`
}

func kroner(amount string) money { return money{Amount: amount, Currency: "NOK"} }

var (
	gannet = vessel{Name: "Grey Gannet", CallSign: "SKQ41", Length: 21.3}
	tern   = vessel{Name: "Swift Tern", CallSign: "SKT12", Length: 12}
)

// playMoorings stands in for the harbour master's office.
func (s *StandIns) playMoorings() {
	s.berths = []berth{
		{Number: "N7", Pier: "north", Length: 24.5, Draught: 4.2, State: "free", Offers: []string{"water", "power"}},
		{Number: "N8", Pier: "north", Length: 18, Draught: 3.1, State: "taken", Offers: []string{"water"}, Vessel: &tern},
		{Number: "N13", Pier: "north", Length: 18, Draught: 3.1, State: "closed", Offers: []string{}},
		{Number: "S4", Pier: "south", Length: 32, Draught: 5.5, State: "free", Offers: []string{"water", "power", "fuel"}},
		{Number: "W1", Pier: "west", Length: 12, Draught: 2.4, State: "free", Offers: []string{}},
	}
	dues := []due{
		{Number: "D-20411", Vessel: gannet, Issued: "2026-11-20", State: "open", Total: kroner("845.00"),
			Lines: []extra{{Kind: "power", Quantity: 3, Price: kroner("215.00")}, {Kind: "water", Quantity: 2, Price: kroner("100.00")}}},
		{Number: "D-20412", Vessel: tern, Issued: "2026-11-21", State: "open", Total: kroner("120.00"), Lines: []extra{{Kind: "waste", Quantity: 1, Price: kroner("120.00")}}},
		{Number: "D-20398", Vessel: tern, Issued: "2026-11-02", State: "settled", Total: kroner("100.00"), Lines: []extra{{Kind: "water", Quantity: 2, Price: kroner("50.00")}}},
	}
	s.mux.HandleFunc("GET /moorings/berths", s.listBerths)
	s.bookings = []booking{
		{Reference: "B-2041", Berth: "N7", Vessel: gannet, From: "2026-12-01", Until: "2026-12-04", State: "confirmed", Price: kroner("640.00"), Extras: []extra{}},
		{Reference: "B-2042", Berth: "S4", Vessel: tern, From: "2026-12-02", Until: "2026-12-03", State: "waiting", Price: kroner("210.00"), Extras: []extra{}},
	}
	s.mux.HandleFunc("GET /moorings/berths/{number}", s.getBerth)
	s.mux.HandleFunc("PATCH /moorings/berths/{number}", s.changeBerth)
	s.mux.HandleFunc("GET /moorings/berths/{number}/bookings", s.listBookings)
	s.mux.HandleFunc("PUT /moorings/bookings/{reference}", s.replaceBooking)
	s.mux.HandleFunc("DELETE /moorings/bookings/{reference}", s.cancelBooking)
	s.mux.HandleFunc("POST /moorings/berths/{number}/bookings", s.book)
	s.mux.HandleFunc("GET /moorings/bookings/{reference}", s.getBooking)
	s.mux.HandleFunc("GET /moorings/dues", func(w http.ResponseWriter, r *http.Request) {
		query := r.URL.Query()
		answer(w, http.StatusOK, slices.DeleteFunc(slices.Clone(dues), func(d due) bool {
			return query.Has("state") && d.State != query.Get("state") || query.Has("vessel") && d.Vessel.CallSign != query.Get("vessel")
		}))
	})
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
	answer(w, http.StatusOK, map[string]any{"total": len(list), "berths": list})
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
	noBerth(w, r)
}

func noBerth(w http.ResponseWriter, r *http.Request) {
	refuse(w, http.StatusNotFound, "Not found", "Berth "+r.PathValue("number")+" is not known here.")
}

func (s *StandIns) changeBerth(w http.ResponseWriter, r *http.Request) {
	var change struct{ State string }
	if err := json.NewDecoder(r.Body).Decode(&change); err != nil || !slices.Contains([]string{"", "free", "taken", "closed"}, change.State) {
		refuse(w, http.StatusBadRequest, "Not a change", "A berth is free, taken or closed.")
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	b := s.findLocked(r.PathValue("number"))
	if b == nil {
		noBerth(w, r)
		return
	}
	b.State = cmp.Or(change.State, b.State)
	answer(w, http.StatusOK, b)
}

func (s *StandIns) listBookings(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	query := r.URL.Query()
	answer(w, http.StatusOK, slices.DeleteFunc(slices.Clone(s.bookings), func(b booking) bool {
		return b.Berth != r.PathValue("number") || b.From < query.Get("from") || query.Has("until") && b.Until > query.Get("until")
	}))
}

// bookingLocked is where a booking stands; it answers when it is not there.
func (s *StandIns) bookingLocked(w http.ResponseWriter, r *http.Request) int {
	reference := r.PathValue("reference")
	i := slices.IndexFunc(s.bookings, func(b booking) bool { return b.Reference == reference })
	if i < 0 {
		refuse(w, http.StatusNotFound, "Not found", "Booking "+reference+" is not known here.")
	}
	return i
}

func (s *StandIns) replaceBooking(w http.ResponseWriter, r *http.Request) {
	var wanted booking
	if err := json.NewDecoder(r.Body).Decode(&wanted); err != nil || wanted.Vessel.Name == "" {
		refuse(w, http.StatusBadRequest, "Not a booking", "A booking names its vessel, and from when until when.")
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if i := s.bookingLocked(w, r); i >= 0 {
		b := &s.bookings[i]
		b.Vessel, b.From, b.Until = wanted.Vessel, wanted.From, wanted.Until
		answer(w, http.StatusOK, b)
	}
}

func (s *StandIns) cancelBooking(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if i := s.bookingLocked(w, r); i >= 0 {
		s.bookings = slices.Delete(s.bookings, i, i+1)
		w.WriteHeader(http.StatusNoContent)
	}
}

func (s *StandIns) book(w http.ResponseWriter, r *http.Request) {
	wanted := booking{Extras: []extra{}}
	if err := json.NewDecoder(r.Body).Decode(&wanted); err != nil || wanted.Vessel.Name == "" {
		refuse(w, http.StatusBadRequest, "Not a booking", "A booking names its vessel, and from when until when.")
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	b := s.findLocked(r.PathValue("number"))
	switch {
	case b == nil:
		noBerth(w, r)
	case b.State != "free":
		refuse(w, http.StatusConflict, "The berth is "+b.State, "Berth "+b.Number+" cannot be booked.")
	default:
		b.State, b.Vessel = "taken", &wanted.Vessel
		wanted.Reference, wanted.Berth, wanted.State = fmt.Sprintf("B-%d", 3001+s.booked), b.Number, "confirmed"
		s.booked++
		wanted.Price = kroner("640.00")
		s.bookings = append(s.bookings, wanted)
		w.Header().Set("Location", "/moorings/bookings/"+wanted.Reference)
		answer(w, http.StatusCreated, wanted)
	}
}

func (s *StandIns) getBooking(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if i := s.bookingLocked(w, r); i >= 0 {
		answer(w, http.StatusOK, s.bookings[i])
	}
}
