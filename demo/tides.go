package demo

import (
	"encoding/json"
	"math"
	"net/http"
	"slices"
	"time"
)

// playTides stands in for the tide office. Its water rises and falls with the
// clock.
func (s *StandIns) playTides() {
	stations := []map[string]any{
		{"id": "inner-quay", "name": "Inner Quay", "latitude": 58.4471, "longitude": 5.9933},
		{"id": "lamp-skerry", "name": "Lamp Skerry", "latitude": 58.4629, "longitude": 5.9417},
	}
	s.mux.HandleFunc("GET /tides/stations", func(w http.ResponseWriter, _ *http.Request) { answer(w, http.StatusOK, stations) })
	s.mux.HandleFunc("GET /tides/stations/{id}/level", func(w http.ResponseWriter, r *http.Request) {
		now := time.Now().UTC()
		phase := float64(now.Unix()) / 7100
		trend := "falling"
		if math.Cos(phase) > 0 {
			trend = "rising"
		}
		answer(w, http.StatusOK, map[string]any{"station": r.PathValue("id"), "at": now.Format(time.RFC3339),
			"levelMetres": math.Round(100*(1.9+1.6*math.Sin(phase))) / 100, "trend": trend})
	})
	s.mux.HandleFunc("GET /tides/stations/{id}/tides", func(w http.ResponseWriter, r *http.Request) {
		date := r.URL.Query().Get("date")
		if _, err := time.Parse(time.DateOnly, date); err != nil {
			refuse(w, http.StatusBadRequest, "No such day", "A tide table is for a date.")
			return
		}
		answer(w, http.StatusOK, map[string]any{"station": r.PathValue("id"), "date": date, "tides": []map[string]any{
			{"at": date + "T03:12:00Z", "kind": "high", "heightMetres": 3.4}, {"at": date + "T09:25:00Z", "kind": "low", "heightMetres": 0.2},
		}})
	})
	until := "2026-12-01T12:00:00Z"
	s.warnings = []warning{{ID: "4c1be7d2-50a1-4c68-9f0e-8f3c5b7a9d11", Severity: "warning", Text: "Strong cross current at the harbour mouth until noon.",
		Areas: []string{"harbour mouth", "outer roads"}, From: "2026-12-01T06:00:00Z", Until: &until}}
	s.mux.HandleFunc("GET /tides/warnings", s.listWarnings)
	s.mux.HandleFunc("POST /tides/warnings", s.issueWarning)
	s.mux.HandleFunc("DELETE /tides/warnings/{id}", s.liftWarning)
}

type warning struct {
	ID       string   `json:"id"`
	Severity string   `json:"severity"`
	Text     string   `json:"text"`
	Areas    []string `json:"areas"`
	From     string   `json:"from"`
	Until    *string  `json:"until"`
}

// mostWarnings are in force at once; an older one is lifted for a new one.
const mostWarnings = 3

func (s *StandIns) listWarnings(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	severity := r.URL.Query().Get("severity")
	answer(w, http.StatusOK, slices.DeleteFunc(slices.Clone(s.warnings), func(one warning) bool { return severity != "" && one.Severity != severity }))
}

func (s *StandIns) issueWarning(w http.ResponseWriter, r *http.Request) {
	var issued warning
	if err := json.NewDecoder(r.Body).Decode(&issued); err != nil || issued.Text == "" {
		refuse(w, http.StatusBadRequest, "Not a warning", "A warning has a text.")
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.warnings = append(slices.DeleteFunc(s.warnings, func(one warning) bool { return one.ID == issued.ID }), issued)
	s.warnings = s.warnings[max(0, len(s.warnings)-mostWarnings):]
	answer(w, http.StatusCreated, issued)
}

func (s *StandIns) liftWarning(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.warnings = slices.DeleteFunc(s.warnings, func(one warning) bool { return one.ID == r.PathValue("id") })
	w.WriteHeader(http.StatusNoContent)
}
