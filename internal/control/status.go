package control

import (
	_ "embed"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

//go:embed openapi.yaml
var openAPI []byte

func (s *server) getOpenAPI(c *gin.Context) {
	s.described.Do(func() { s.withRolesText = s.withRoles() })
	c.Data(http.StatusOK, "application/yaml", s.withRolesText)
}

// getIndex is the API as links: where everything else is found.
func (s *server) getIndex(c *gin.Context) {
	index := api.Index{Name: "Rapid Mimic", Version: s.Version, Links: map[string]string{}}
	for _, r := range s.table() {
		if name := strings.Trim(r.path, "/"); r.method == http.MethodGet && name != "" && !strings.Contains(name, ":") {
			index.Links[name] = "/api/v1" + r.path
		}
	}
	c.PureJSON(http.StatusOK, index)
}

// authorityWarning is how long before its end the authority is told of.
const authorityWarning = 7 * 24 * time.Hour

// certificateWarning is how long before its end a certificate is told of.
const certificateWarning = 14 * 24 * time.Hour

// getStatus tells the state of the environment: scenario, modes and impairments as
// the calls of the query's lane find them, or those in none.
func (s *server) getStatus(c *gin.Context) {
	view, err := s.viewOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	now, lane := time.Now(), view.InLane()
	status := api.Status{
		Lane: view.LaneName(), Scenario: activeView(view.LaneName(), view.Active(lane, now)), Impaired: []string{}, Modes: make(map[string]string), Lanes: []string{},
		VariableSet: view.Variables().Variables.VariableSet,
		Version:     s.Version, StartedAt: s.StartedAt.UTC(), Control: s.ControlURL, Traffic: s.TrafficURL, Data: s.Data,
		LastMinute: countsView(s.Log.LastMinute(now)), CallsStored: s.Log.Stored(), CallsNotKept: s.Log.NotKept(), CallsSlowed: s.Log.Slowed(),
		CallsNotChecked: s.Log.NotChecked(), CallsMissing: s.Log.Missing(),
	}
	if s.NeedToken {
		status.Quotas = &s.quotas.Quotas
	}
	if err := s.Lost(); err != nil {
		status.Faults = append(status.Faults, err.Error())
	}
	if end := s.Authority.Expires(); !end.IsZero() && now.After(end.Add(-authorityWarning)) {
		status.Faults = append(status.Faults, fmt.Sprintf("the certificate authority ends on %s: make another one (ca rotate), and have programs trust it", end.UTC().Format(time.DateOnly)))
	}
	if end := s.CertificateExpires(); !end.IsZero() && now.After(end.Add(-certificateWarning)) {
		status.Faults = append(status.Faults, fmt.Sprintf("the certificate of the ports ends on %s: put another one in its place (--tls-cert), which is read without a restart", end.UTC().Format(time.DateOnly)))
	}
	for _, aside := range s.Catalog.Aside() {
		status.Faults = append(status.Faults, fmt.Sprintf("%s was set aside, since it cannot be used: %s", aside.What, aside.Reason))
	}
	if lane != nil {
		_, inLane := s.Log.LaneCalls(lane.Spec.Name, now)
		status.LastMinute = countsView(inLane)
	}
	status.Lanes = append(status.Lanes, view.LaneNames(now)...)
	for _, service := range view.Services() {
		if !sees(c, service.Spec.Name) {
			continue
		}
		status.Services++
		status.Mappings += len(service.Mappings)
		mode := spec.ModeAnswer
		if service.Spec.Relays() {
			status.Relaying = append(status.Relaying, service.Spec.Name)
			mode = spec.ModeRelay
		}
		if service.Recording != nil {
			captured, err := s.Catalog.Captured(c.Request.Context(), service.Recording)
			if err != nil {
				s.fail(c, err, nil)
				return
			}
			status.Recording = append(status.Recording, api.RunningRecording{Service: service.Spec.Name, Name: service.Recording.Spec.Name, Calls: captured})
			mode = "recording"
		}
		if service.Off() != "" {
			mode = "off"
		}
		status.Modes[service.Spec.Name] = mode
	}
	status.PublicHosts = s.Catalog.PublicHosts()
	list := s.impairments(view)
	status.ImpairmentsOff = list.Off
	for _, i := range list.Items {
		if !list.Off && seesTarget(c, i.Target.Service) {
			status.Impaired = append(status.Impaired, i.Target.String())
		}
	}
	c.PureJSON(http.StatusOK, status)
}
