package demo

import (
	"io/fs"
	"net/http"
)

// showBoard serves the quay board, which stands in for the program of a tester:
// a page that asks all three services and shows how it takes what they answer.
func (s *StandIns) showBoard() {
	files, err := fs.Sub(data, "data/board")
	if err != nil {
		panic(err) // it is embedded
	}
	board := http.StripPrefix("/board/", http.FileServerFS(files))
	s.mux.HandleFunc("GET /board/{file...}", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		board.ServeHTTP(w, r)
	})
	s.mux.HandleFunc("GET /board/services.json", func(w http.ResponseWriter, _ *http.Request) {
		s.mu.Lock()
		defer s.mu.Unlock()
		answer(w, http.StatusOK, map[string]string{"services": s.services})
	})
	s.mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, "/board/", http.StatusFound) })
}

// SetBoard tells the quay board where the services are: an address in which
// {service} stands for the name of each.
func (s *StandIns) SetBoard(services string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.services = services
}
