package demo

import (
	"encoding/xml"
	"fmt"
	"io"
	"net/http"
	"strings"
)

// hold is cargo that the customs desk keeps on the quay.
type hold struct{ Manifest, Pier, Since, Reason, Lines string }

// desk is what the customs desk is asked, in an envelope of either version.
type desk struct {
	XMLName xml.Name
	Body    struct {
		Clearance *struct {
			Manifest string `xml:"manifest"`
		} `xml:"askClearance"`
		Holds *struct {
			Pier string `xml:"pier"`
		} `xml:"listHolds"`
		Submit *struct {
			Vessel struct {
				CallSign string `xml:"callSign"`
			} `xml:"vessel"`
		} `xml:"submitManifest"`
	} `xml:"Body"`
}

const cargoSpace = "https://customs.skerry-sound.example/cargo"

// playCustoms stands in for the customs desk, a SOAP service.
func (s *StandIns) playCustoms() {
	s.holds = []hold{
		{"M-2040-SK", "north", "2026-11-21", "The weight differs from the bill of lading", "1 3"},
		{"M-2038-SK", "south", "2026-11-19", "A certificate is missing", "2"},
	}
	s.mux.HandleFunc("POST /customs", s.askDesk)
	s.mux.HandleFunc("POST /customs/{port}", s.askDesk)
}

func (s *StandIns) askDesk(w http.ResponseWriter, r *http.Request) {
	text, err := io.ReadAll(io.LimitReader(r.Body, 1<<20))
	var asked desk
	if err != nil || xml.Unmarshal(text, &asked) != nil {
		http.Error(w, "This is no message.", http.StatusBadRequest)
		return
	}
	contentType := "text/xml; charset=utf-8"
	if strings.Contains(asked.XMLName.Space, "2003/05") {
		contentType = "application/soap+xml; charset=utf-8"
	}
	status, body := s.deskAnswer(asked)
	w.Header().Set("Content-Type", contentType)
	w.WriteHeader(status)
	fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8"?><soap:Envelope xmlns:soap="%s"><soap:Body>%s</soap:Body></soap:Envelope>`, asked.XMLName.Space, body)
}

func (s *StandIns) deskAnswer(asked desk) (status int, body string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case asked.Body.Clearance != nil:
		manifest := asked.Body.Clearance.Manifest
		for _, h := range s.holds {
			if h.Manifest == manifest {
				return http.StatusOK, element("askClearanceResponse", "<manifest>"+manifest+"</manifest>"+h.xml())
			}
		}
		return http.StatusOK, element("askClearanceResponse", "<manifest>"+manifest+"</manifest><cleared>2026-11-23T08:00:00Z</cleared>")
	case asked.Body.Holds != nil:
		list := ""
		if pier := asked.Body.Holds.Pier; pier != "" {
			list = "<pier>" + pier + "</pier>"
		}
		for _, h := range s.holds {
			if asked.Body.Holds.Pier == "" || asked.Body.Holds.Pier == h.Pier {
				list += h.xml()
			}
		}
		return http.StatusOK, element("listHoldsResponse", list)
	case asked.Body.Submit != nil:
		return http.StatusOK, element("submitManifestResponse", `<manifest>M-2041-SK</manifest><received>2026-11-23T08:00:00Z</received><dues currency="NOK">310.00</dues>`)
	default:
		return http.StatusAccepted, ""
	}
}

func (h hold) xml() string {
	return fmt.Sprintf("<hold><manifest>%s</manifest><since>%s</since><reason>%s</reason><lines>%s</lines></hold>", h.Manifest, h.Since, h.Reason, h.Lines)
}

func element(name, inside string) string {
	return fmt.Sprintf(`<%s xmlns="%s">%s</%s>`, name, cargoSpace, inside, name)
}
