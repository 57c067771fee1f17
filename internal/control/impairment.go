package control

import (
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

func (s *server) impairmentView(snapshot *catalog.Snapshot, i *catalog.Impairment) api.Impairment {
	since := i.Since.UTC()
	view := api.Impairment{
		Target: snapshot.TargetOf(i.StoredImpairment), Impairment: i.Impairment, Text: i.Impairment.String(), Draws: i.Impairment.Draws(),
		Since: &since, By: i.By, Origin: i.Origin, Down: i.Plan.Down(time.Now()), ETag: impairmentTag(snapshot, i),
	}
	view.Did = hitsView(s.Engine.HitsOf(i))
	for _, used := range s.Engine.LimitsOf(snapshot, i) {
		view.Limits = append(view.Limits, api.LimitUse{Caller: used.Caller, Used: used.Used, ResetMs: milliseconds(used.Reset)})
	}
	return view
}

func hitsView(did impair.HitCount) api.HitCount {
	view := api.HitCount{Calls: did.Calls, Hit: did.Hit, Minutes: make([]api.HitMinute, len(did.Minutes))}
	for i, minute := range did.Minutes {
		view.Minutes[i] = api.HitMinute(minute)
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
	if err == nil && c.Param("service") != "" {
		_, err = view.FindService(c.Param("service"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := s.impairmentsOf(c, view)
	documents := []tagged{}
	for _, i := range list.Items {
		if !i.Own && i.Origin == "" {
			documents = append(documents, tagged{spec.TargetImpairment{Target: i.Target, Impairment: i.Impairment}, i.ETag})
		}
	}
	s.respond(c, http.StatusOK, list, documents)
}

// impairmentsOf are the impairments of a view that the address of a request is about.
func (s *server) impairmentsOf(c *gin.Context, view *catalog.Snapshot) api.Impairments {
	list := s.impairments(view)
	list.Items = slices.DeleteFunc(list.Items, func(i api.Impairment) bool { return !seesTarget(c, i.Target.Service) })
	if c.Param("service") != "" {
		target := s.namedTarget(c)
		list.Items = slices.DeleteFunc(list.Items, func(i api.Impairment) bool { return !within(target, i.Target) })
	}
	return list
}

// within reports whether a target is that of a request, or is below it.
func within(asked, target spec.Target) bool {
	return asked.Service == target.Service && (asked.Operation == "" || asked.Operation == target.Operation) && (asked.Mapping == "" || asked.Mapping == target.Mapping)
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
						Impairment: m.Impair.Spec, Text: m.Impair.Spec.String(), Draws: m.Impair.Spec.Draws(), Own: true, Origin: m.Origin,
						Did: hitsView(s.Engine.HitsOfMapping(service, m))})
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

// putImpairment switches an impairment on for the target of the address; of a list that
// was read, all of them instead of what is on.
func (s *server) putImpairment(c *gin.Context) {
	text, err := readDocument(c)
	var given spec.GivenImpairments
	if err == nil {
		given, err = spec.ReadImpairments(text)
	}
	switch {
	case err != nil:
		s.fail(c, err, nil)
	case given.Several:
		s.replaceImpairments(c, given)
	default:
		s.setImpairment(c, given.Items[0])
	}
}

func (s *server) setImpairment(c *gin.Context, given spec.Given[spec.TargetImpairment]) {
	target, named := s.namedTarget(c), given.Document.Target
	var err error
	if named != (spec.Target{}) && named != target {
		err = problem.New(problem.Conflict, "the address is of the impairment of %s, the document of that of %s", target, named)
	}
	var demand string
	if err == nil {
		demand, err = demandOf(c, given.ETag)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.writeImpairment(c, target, given.Document.Impairment, &given, demand)
}

// writeImpairment switches an impairment on. given is its document where the caller knows
// its lines.
func (s *server) writeImpairment(c *gin.Context, target spec.Target, wanted spec.Impairment, given *spec.Given[spec.TargetImpairment], demand string) {
	err := s.writeOut(c.Request.Context(), target, &wanted)
	if err == nil && c.Query("lane") != "" {
		s.putLaneImpairment(c, wanted, demand)
		return
	}
	var made *catalog.Impairment
	before := s.shared()
	if err == nil {
		made, err = s.Catalog.SetImpairment(c.Request.Context(), target, wanted, demand, rand.Int64N(1_000_000), time.Now())
	}
	if err != nil {
		var current any
		if made != nil {
			current = s.impairmentView(before, made)
		}
		if given != nil {
			err = located(err, []spec.Given[spec.TargetImpairment]{*given})
		}
		s.fail(c, err, current)
		return
	}
	view := s.shared()
	s.restartChanged(before, view, made)
	c.Header("ETag", impairmentTag(view, made))
	c.PureJSON(http.StatusOK, s.impairmentView(view, made))
}

// restartChanged sets draws, limits and advice of an impairment back to their start, if it
// is another one than before.
func (s *server) restartChanged(before, now *catalog.Snapshot, made *catalog.Impairment) {
	if had := before.Impairment(made.ServiceID, made.Operation, made.Mapping); had == nil || had.Version != made.Version {
		s.Engine.ResetImpairment(now, made)
	}
}

// replaceImpairments puts back a list that was read. The draws, limits and advice of what
// changes begin anew.
func (s *server) replaceImpairments(c *gin.Context, given spec.GivenImpairments) {
	err := error(nil)
	switch {
	case c.Query("lane") != "":
		err = problem.New(problem.Invalid, "in a lane impairments are put one by one, or with the document of the lane")
	case c.Query("operation")+c.Query("mapping") != "":
		err = problem.New(problem.Invalid, "the address is of one impairment, and the document holds a list of them")
	case given.Off != nil && c.Param("service") != "":
		given.Off = nil // the switch is for all services
	}
	var demands []string
	if err == nil {
		demands, err = demandsOf(c, given.Items)
	}
	before := s.shared()
	if err == nil {
		err = s.Catalog.ReplaceImpairments(c.Request.Context(), c.Param("service"), spec.Documents(given.Items), demands, given.Off, rand.Int64N(1_000_000), time.Now())
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := s.shared()
	for _, made := range view.Impairments() {
		if made.Origin == "" {
			s.restartChanged(before, view, made)
		}
	}
	s.listImpairments(c)
}

// deleteImpairment switches off what a target has, with ?all=true also what is
// below it, and answers with what was on.
func (s *server) deleteImpairment(c *gin.Context) {
	if c.Query("lane") != "" {
		s.deleteLaneImpairments(c, isOn(c, "all"))
		return
	}
	snapshot := s.Catalog.Snapshot()
	gone, err := s.Catalog.RemoveImpairments(c.Request.Context(), targetOf(c), isOn(c, "all"), c.GetHeader("If-Match"))
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

// patchImpairments changes the impairment that the target of the address has, or what the
// list of all of them says, such as the one switch for them.
func (s *server) patchImpairments(c *gin.Context) {
	text, err := readDocument(c)
	var patch *tree.Node
	if err == nil {
		if patch, err = tree.Parse(text); err != nil {
			err = spec.SyntaxProblem(err, "the patch")
		}
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	holdBody(c, text)
	if ofList(patch) {
		s.patchImpairmentList(c)
		return
	}
	view, target := s.shared(), s.namedTarget(c)
	serviceID, err := view.CheckTarget(target)
	if err == nil && c.Query("lane") != "" {
		err = problem.New(problem.Invalid, "what a lane has is patched with the document of the lane, or put whole")
	}
	have := view.Impairment(serviceID, target.Operation, target.Mapping)
	if err == nil && (have == nil || have.Origin != "") {
		err = problem.New(problem.NotFound, "no impairment of %s is on: PUT switches one on", target)
	}
	var given spec.Given[spec.TargetImpairment]
	if err == nil {
		given, err = patchedAs(c, have.Impairment, "", oneImpairment)
	}
	var demand string
	if err == nil {
		demand, err = patchDemand(c, given.ETag, catalog.ETag(have.Version))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.writeImpairment(c, target, given.Document.Impairment, nil, demand)
}

// ofList reports whether a patch is of the list of impairments.
func ofList(patch *tree.Node) bool {
	if patch.Kind != tree.List {
		return patch.Get("off") != nil || patch.Get("items") != nil
	}
	return slices.ContainsFunc(patch.Items, func(step *tree.Node) bool {
		at := step.Get("path").Str()
		return at == "/off" || strings.HasPrefix(at, "/items")
	})
}

func oneImpairment(text []byte, _ string) (given spec.Given[spec.TargetImpairment], err error) {
	read, err := spec.ReadImpairments(text)
	if err != nil {
		return given, err
	}
	return read.Items[0], nil
}

func (s *server) patchImpairmentList(c *gin.Context) {
	text, err := patched(c, s.impairmentsOf(c, s.Catalog.Snapshot()))
	var given spec.GivenImpairments
	if err == nil {
		given, err = spec.ReadImpairments(text)
	}
	if err != nil {
		s.fail(c, withoutLines(err), nil)
		return
	}
	s.replaceImpairments(c, given)
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
