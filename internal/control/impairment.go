package control

import (
	"math/rand/v2"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (s *server) impairmentView(snapshot *catalog.Snapshot, i *catalog.Impairment) api.Impairment {
	since := i.Since.UTC()
	view := api.Impairment{
		Target: snapshot.TargetOf(i.StoredImpairment), Impairment: i.Impairment, Text: i.Impairment.String(), Draws: i.Impairment.Draws(),
		Since: &since, By: i.By, Origin: i.Origin, Down: i.Plan.Down(time.Now()), ETag: impairmentTag(snapshot, i),
	}
	for _, used := range s.Engine.LimitsOf(snapshot, i) {
		view.Limits = append(view.Limits, api.LimitUse{Caller: used.Caller, Used: used.Used, ResetMs: milliseconds(used.Reset)})
	}
	return view
}

// impairmentTag is the version of what has an impairment: itself, or its lane. "" for
// one of a scenario.
func impairmentTag(snapshot *catalog.Snapshot, i *catalog.Impairment) string {
	lane := snapshot.InLane()
	switch {
	case i.Origin == "":
		return catalog.ETag(i.Version)
	case lane != nil && i.Origin == lane.Origin():
		return catalog.ETag(lane.Version)
	default:
		return ""
	}
}

// listImpairments lists what is switched on, and what mappings have of
// themselves: in the lane of the query, or for calls in none.
func (s *server) listImpairments(c *gin.Context) {
	view, err := s.viewOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, s.impairments(view))
}

func (s *server) impairments(snapshot *catalog.Snapshot) api.Impairments {
	list := api.Impairments{Off: snapshot.ImpairmentsOff(), Items: []api.Impairment{}}
	for _, i := range snapshot.Impairments() {
		list.Items = append(list.Items, s.impairmentView(snapshot, i))
	}
	for _, service := range snapshot.Services() {
		for _, mappings := range [][]*catalog.Mapping{service.OwnMappings(), service.Mappings} {
			for _, m := range mappings {
				if m.Impair != nil && m.Spec.Enabled && snapshot.Impairment(service.Spec.ID, "", m.Spec.ID) == nil {
					list.Items = append(list.Items, api.Impairment{Target: spec.Target{Service: service.Spec.Name, Mapping: m.Spec.ID},
						Impairment: m.Impair.Spec, Text: m.Impair.Spec.String(), Draws: m.Impair.Spec.Draws(), Own: true, Origin: m.Origin})
				}
			}
		}
	}
	return list
}

// targetOf is the target that a request names.
func targetOf(c *gin.Context) spec.Target {
	return spec.Target{Service: c.Param("service"), Operation: c.Query("operation"), Mapping: c.Query("mapping")}
}

func (s *server) putImpairment(c *gin.Context) {
	text, err := readDocument(c)
	var wanted spec.Impairment
	if err == nil {
		wanted, err = spec.ReadImpairment(text)
	}
	if err == nil {
		err = s.writeOut(c.Request.Context(), targetOf(c), &wanted)
	}
	if err == nil && c.Query("lane") != "" {
		s.putLaneImpairment(c, wanted)
		return
	}
	var made *catalog.Impairment
	if err == nil {
		made, err = s.Catalog.SetImpairment(c.Request.Context(), targetOf(c), wanted, demandOf(c), rand.Int64N(1_000_000), time.Now())
	}
	if err != nil {
		var current any
		if made != nil {
			current = s.impairmentView(s.shared(), made)
		}
		s.fail(c, err, current)
		return
	}
	view := s.shared()
	s.Engine.ResetImpairment(view, made)
	c.Header("ETag", impairmentTag(view, made))
	c.PureJSON(http.StatusOK, s.impairmentView(view, made))
}

// deleteImpairment switches off what a target has, with ?all=true also what is
// below it, and answers with what was on.
func (s *server) deleteImpairment(c *gin.Context) {
	if c.Query("lane") != "" {
		s.deleteLaneImpairments(c, c.Query("all") == "true")
		return
	}
	snapshot := s.Catalog.Snapshot()
	gone, err := s.Catalog.RemoveImpairments(c.Request.Context(), targetOf(c), c.Query("all") == "true", c.GetHeader("If-Match"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := api.Impairments{Off: snapshot.ImpairmentsOff(), Items: []api.Impairment{}}
	for _, i := range gone {
		list.Items = append(list.Items, s.impairmentView(snapshot, i))
	}
	c.PureJSON(http.StatusOK, list)
}

// patchImpairments is the one switch for all of them.
func (s *server) patchImpairments(c *gin.Context) {
	var wanted api.ImpairmentSwitch
	if err := readJSON(c, &wanted, "switch"); err != nil {
		s.fail(c, err, nil)
		return
	}
	if err := s.Catalog.SwitchImpairments(c.Request.Context(), wanted.Off); err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, s.impairments(s.shared()))
}

// resetImpairments sets draws, limits and advice back to their start; of one
// service where the request names one.
func (s *server) resetImpairments(c *gin.Context) {
	id := ""
	if name := c.Query("service"); name != "" {
		service, err := s.Catalog.Find(name)
		if err != nil {
			s.fail(c, err, nil)
			return
		}
		id = service.Spec.ID
	}
	view, err := s.viewOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	for _, i := range view.Impairments() {
		if id == "" || i.ServiceID == id {
			s.Engine.ResetImpairment(view, i)
		}
	}
	c.Status(http.StatusNoContent)
}
