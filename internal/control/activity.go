package control

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// entryHeader names in an answer the entry that the request made.
const entryHeader = "Rapid-Mimic-Activity"

// throughWhat says by which way a request came: the console is a page of ours in a browser,
// the command says so itself.
func throughWhat(c *gin.Context) string {
	switch {
	case strings.HasPrefix(c.FullPath(), "/api/v1/apply"):
		return "folder"
	case strings.HasPrefix(c.GetHeader("User-Agent"), "rapidmimic"):
		return "command"
	case c.GetHeader("Sec-Fetch-Site") == "same-origin":
		return "console"
	default:
		return "API"
	}
}

func (s *server) listActivity(c *gin.Context) {
	filter := catalog.ActivityFilter{Service: c.Query("service"), By: c.Query("by")}
	var err error
	filter.Limit, err = limitOf(c, defaultLimit)
	if since := c.Query("since"); err == nil && since != "" {
		filter.Since, err = momentOf("since", since, time.Now())
	}
	if after := c.Query("after"); err == nil && after != "" {
		var ok bool
		if filter.Before, ok = catalog.ParseEntryID(after); !ok {
			err = problem.New(problem.Invalid, "after must be the id of an entry (such as a-71), not %q", after)
		}
	}
	filter.Limit++ // whether there are more
	var entries []catalog.Entry
	if err == nil {
		entries, err = s.Catalog.Activity(c.Request.Context(), filter)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := api.List[api.Entry]{Items: []api.Entry{}}
	if len(entries) == filter.Limit {
		entries = entries[:filter.Limit-1]
		list.Next = catalog.EntryID(entries[len(entries)-1].Version)
		c.Header("Link", "<"+followingPage(c, list.Next)+`>; rel="next"`)
	}
	for _, e := range entries {
		if seesEntry(c, e) {
			list.Items = append(list.Items, entryView(e))
		}
	}
	c.PureJSON(http.StatusOK, list)
}

// momentOf reads a moment, or how long ago it was: 2026-12-01T10:00:00Z, 1h, 2d.
func momentOf(name, text string, now time.Time) (time.Time, error) {
	if ago, err := durationOf(text); err == nil {
		return now.Add(-ago), nil
	}
	if moment, err := time.Parse(time.RFC3339, text); err == nil {
		return moment, nil
	}
	return time.Time{}, problem.New(problem.Invalid, "%s must be how long ago, such as 1h or 2d, or a moment such as 2026-12-01T10:00:00Z, not %q", name, text)
}

// entryAsked is the entry that a request is about, unless its token may not see all of it.
func (s *server) entryAsked(c *gin.Context) (catalog.Entry, error) {
	entry, err := s.Catalog.FindEntry(c.Request.Context(), c.Param("entry"))
	if err == nil && !seesEntry(c, entry) {
		err = problem.New(problem.Refused, "%s is also about what token %q may not see or change", c.Param("entry"), holder(c).Name)
	}
	return entry, err
}

func (s *server) getEntry(c *gin.Context) {
	entry, err := s.entryAsked(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, entryDetail(entry))
}

func (s *server) undoEntry(c *gin.Context) {
	if !holder(c).Whole() {
		if _, err := s.entryAsked(c); err != nil {
			s.fail(c, err, nil)
			return
		}
	}
	entry, err := s.Catalog.Undo(c.Request.Context(), c.Param("entry"), time.Now())
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := api.Entry{Lines: []string{}}
	if entry != nil {
		view = entryView(*entry)
	}
	c.PureJSON(http.StatusOK, view)
}

func entryView(e catalog.Entry) api.Entry {
	view := api.Entry{ID: catalog.EntryID(e.Version), At: e.At.UTC(), By: e.By, Via: e.Via, From: e.From, Lines: linesOf(e), Count: max(e.Count, len(e.Items))}
	if e.Undoes != 0 {
		view.Undoes = catalog.EntryID(e.Undoes)
	}
	if e.UndoneBy != 0 {
		view.UndoneBy = catalog.EntryID(e.UndoneBy)
	}
	if e.About != "" {
		view.Services = []string{e.About}
	}
	for _, item := range e.Items {
		if item.Service != "" && !slices.Contains(view.Services, item.Service) {
			view.Services = append(view.Services, item.Service)
		}
	}
	return view
}

func entryDetail(e catalog.Entry) api.EntryDetail {
	detail := api.EntryDetail{Entry: entryView(e), Items: []api.EntryItem{}}
	for _, item := range e.Items {
		detail.Items = append(detail.Items, itemView(item))
	}
	return detail
}

func itemView(item catalog.Item) api.EntryItem {
	return api.EntryItem{Kind: item.Kind, Service: item.Service, ID: item.ID, Outcome: outcomeOf(item), Before: documentText(item.Before), After: documentText(item.After)}
}

// documentText is a state as people would write it; "" where there was none.
func documentText(state json.RawMessage) string {
	if state == nil {
		return ""
	}
	n, err := tree.ParseJSON(state)
	if err != nil {
		return string(state)
	}
	text, err := n.YAML()
	if err != nil {
		return string(state)
	}
	return string(text)
}

func outcomeOf(i catalog.Item) string {
	switch {
	case i.Before == nil:
		return catalog.Created
	case i.After == nil:
		return catalog.Removed
	default:
		return catalog.Changed
	}
}

// mostLines is how many lines tell of an entry.
const mostLines = 6

// linesOf say in words what was changed; many things of one kind on one line.
func linesOf(e catalog.Entry) []string {
	type group struct{ kind, service, outcome string }
	var order []group
	members := make(map[group][]catalog.Item)
	for _, item := range e.Items {
		g := group{item.Kind, item.Service, outcomeOf(item)}
		if members[g] == nil {
			order = append(order, g)
		}
		members[g] = append(members[g], item)
	}
	lines := []string{}
	for _, g := range order {
		items := members[g]
		if len(items) <= 3 {
			for _, item := range items {
				lines = append(lines, entryLine(e, item))
			}
			continue
		}
		text := fmt.Sprintf("%s %d %ss", g.outcome, len(items), g.kind)
		if g.service != "" {
			text += " of " + g.service
		}
		lines = append(lines, text)
	}
	if e.Note != "" {
		lines = append([]string{e.Note}, lines...)
	}
	more := max(e.Count, len(e.Items)) - len(e.Items)
	if len(lines) > mostLines {
		more += len(lines) - mostLines
		lines = lines[:mostLines]
	}
	if more > 0 {
		lines = append(lines, fmt.Sprintf("and %d more", more))
	}
	return lines
}

// entryLine is lineOf in an entry: what an undo makes was there before.
func entryLine(e catalog.Entry, item catalog.Item) string {
	line := lineOf(item)
	if (e.Undoes != 0 || e.Note != "") && item.Before == nil {
		made := catalog.Created
		if item.Kind == catalog.KindRecording {
			made = "kept"
		}
		line = strings.Replace(line, made, "brought back", 1)
	}
	return line
}

// lineOf says what became of one definition: "changed mapping fog of moorings: answer".
func lineOf(i catalog.Item) string {
	switch i.Kind {
	case catalog.KindSwitch:
		return switchLine(i)
	case catalog.KindRecording:
		return recordingLine(i)
	case catalog.KindImpairment:
		var before, after spec.Impairment
		_ = json.Unmarshal(i.Before, &before) // what was not there, or is too long for a list, is empty
		_ = json.Unmarshal(i.After, &after)
		target := strings.TrimPrefix(i.Name(), "impairment of ")
		switch {
		case i.After == nil:
			return "stopped the impairment of " + target
		case after.Empty():
			return "changed the impairment of " + target
		default:
			return fmt.Sprintf("made %s slow or failing: %s", target, after.String())
		}
	case catalog.KindLane:
		if i.Before == nil {
			return "opened " + i.Name()
		}
		if i.After == nil {
			return "closed " + i.Name()
		}
	case catalog.KindContract:
		var after struct{ Revision int }
		if json.Unmarshal(i.After, &after) == nil && after.Revision > 0 {
			return fmt.Sprintf("imported revision %d of the contract of %s", after.Revision, i.Service)
		}
	}
	line := outcomeOf(i) + " " + i.Name()
	if i.Changed != "" {
		line += ": " + i.Changed
	}
	return line
}

func switchLine(i catalog.Item) string {
	if i.ID == "impairments" {
		if string(i.After) == "true" {
			return "switched all impairments off"
		}
		return "switched impairments on again"
	}
	var before, after catalog.Activation
	_ = json.Unmarshal(i.Before, &before)
	_ = json.Unmarshal(i.After, &after)
	if after.Scenario == "" {
		return "switched scenario " + before.Scenario + " off"
	}
	return "switched scenario " + after.Scenario + " on"
}

func recordingLine(i catalog.Item) string {
	var r spec.Recording
	_ = json.Unmarshal(i.After, &r)
	verb := "started"
	switch {
	case i.After == nil:
		verb = catalog.Removed
		_ = json.Unmarshal(i.Before, &r)
	case i.Before == nil && !r.Stopped.IsZero():
		verb = "kept"
	case !r.Stopped.IsZero():
		verb = "ended"
	}
	return fmt.Sprintf("%s recording %q of %s", verb, r.Name, i.Service)
}
