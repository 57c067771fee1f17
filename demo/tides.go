package demo

import (
	"math"
	"net/http"
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
	s.mux.HandleFunc("GET /tides/warnings", func(w http.ResponseWriter, r *http.Request) {
		warnings := []map[string]any{{
			"id": "4c1be7d2-50a1-4c68-9f0e-8f3c5b7a9d10", "severity": "warning", "text": "Strong cross current at the harbour mouth until noon.",
			"areas": []string{"harbour mouth", "outer roads"}, "from": "2026-12-01T06:00:00Z", "until": "2026-12-01T12:00:00Z",
		}}
		if severity := r.URL.Query().Get("severity"); severity != "" && severity != "warning" {
			warnings = []map[string]any{}
		}
		answer(w, http.StatusOK, warnings)
	})
}
