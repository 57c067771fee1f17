package catalog_test

import (
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

var noon = time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)

func putScenarios(t *testing.T, c *catalog.Catalog, text string) {
	t.Helper()
	scenarios, err := spec.ReadScenarios([]byte(text))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenarios, "")
	require.NoError(t, err)
}

func openLane(t *testing.T, c *catalog.Catalog, text string) *catalog.Lane {
	t.Helper()
	lane, err := spec.ReadLane([]byte(text), "")
	require.NoError(t, err)
	made, err := c.OpenLane(t.Context(), lane, noon)
	require.NoError(t, err)
	return made
}

// winner is the mapping that answers GET /a in a view; "" for none.
func winner(view *catalog.Snapshot) string {
	fits, _ := view.Named("moorings").Fits("GET", []string{"a"}, nil)
	if len(fits) == 0 {
		return ""
	}
	return fits[0].Value.Spec.Title
}

const titled = `- { name: one, services: { moorings: { mappings: [{ id: a, title: of one, call: { path: /a } }] } } }
- { name: two, buildsOn: one, services: { moorings: { mappings: [{ id: b, title: of two, call: { path: "/{x}" } }] } } }
- { name: bare, services: { moorings: { mappingsOff: [a] } } }
`

// titles is a service with a mapping for everybody, and scenarios with others.
func titles(t *testing.T) (*catalog.Catalog, *fakeStore) {
	c, store := open(t)
	_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, "{ id: a, title: of all, rank: 99, call: { path: /a } }"))
	require.NoError(t, err)
	putScenarios(t, c, titled)
	return c, store
}

// Layers decide before rank and path: a lane's own mappings, those of its scenario,
// of which the outer one's come first, and those of everybody.
func TestLayersOfViews(t *testing.T) {
	c, _ := titles(t)
	lane := openLane(t, c, `{ name: mara, scenario: one }`)
	own := openLane(t, c, `{ name: own, scenario: two, services: { moorings: { mappings: [{ id: z, title: own, rank: -5, call: { path: "/{rest...}" } }] } } }`)
	use := func(lane, name string) {
		_, _, err := c.UseScenario(t.Context(), lane, name, 0, noon)
		require.NoError(t, err)
	}
	shared := func() string { return winner(c.Snapshot().View(nil, noon)) }
	in := func(name string) string {
		lane, err := c.Snapshot().FindLane(name, noon)
		require.NoError(t, err)
		return winner(c.Snapshot().View(lane, noon))
	}
	assert.Equal(t, []string{"of all", "of one", "own"}, []string{shared(), in("mara"), in("own")})
	use("", "two")
	use("mara", "bare")
	assert.Equal(t, []string{"of two", "", "own"}, []string{shared(), in("mara"), in("own")})
	_, err := c.EditLane(t.Context(), "own", "", noon, func(l *spec.Lane) error { l.RemoveMapping("moorings", "z"); return nil })
	require.NoError(t, err)
	assert.Equal(t, "of two", in("own"), "below its own comes its scenario")
	before, err := c.LeaveScenario(t.Context(), "own", noon)
	require.NoError(t, err)
	assert.Equal(t, "two", before.Scenario)
	assert.Equal(t, "of all", in("own"))

	// an edit of everybody's mappings is in every view at once
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings(t, "{ id: a, title: edited, call: { path: /a } }"))
	require.NoError(t, err)
	assert.Equal(t, []string{"of two", "", "edited"}, []string{shared(), in("mara"), in("own")})
	assert.NotEqual(t, lane.ID, own.ID)
	one := c.Snapshot().View(nil, noon)
	assert.Same(t, one, c.Snapshot().View(nil, noon), "a view is made once")
	assert.Equal(t, "+two/", one.StateKey())
	_, _, err = c.Preview("moorings", mappings(t, "{ id: p, title: tried, call: { path: /a } }")[0])
	require.NoError(t, err)
	assert.Equal(t, "of two", shared(), "what is tried changes no view")
}

// What has ended by its time is not found from that moment on, whenever it is
// cleared away.
func TestSituationsEndOnTime(t *testing.T) {
	c, store := titles(t)
	openLane(t, c, `{ name: mara, ttl: 10m, scenario: one }`)
	openLane(t, c, `{ name: later, ttl: 1h }`)
	for _, lane := range []string{"", "later"} {
		_, _, err := c.UseScenario(t.Context(), lane, "one", 5*time.Minute, noon)
		require.NoError(t, err)
	}
	at := func(d time.Duration) (active, inLater string, lanes int) {
		now := noon.Add(d)
		s := c.Snapshot()
		later, err := s.FindLane("later", now)
		require.NoError(t, err)
		for _, a := range []struct {
			lane *catalog.Lane
			into *string
		}{{nil, &active}, {later, &inLater}} {
			if on := s.Active(a.lane, now); on != nil {
				*a.into = on.Scenario
			}
		}
		return active, inLater, len(s.Lanes(now))
	}
	for _, k := range []struct {
		after           time.Duration
		active, inLater string
		lanes           int
	}{{0, "one", "one", 2}, {5*time.Minute - 1, "one", "one", 2}, {5 * time.Minute, "", "", 2}, {10*time.Minute - 1, "", "", 2}, {10 * time.Minute, "", "", 1}} {
		active, inLater, lanes := at(k.after)
		assert.Equal(t, k, struct {
			after           time.Duration
			active, inLater string
			lanes           int
		}{k.after, active, inLater, lanes})
	}
	closed, err := c.Expire(t.Context(), noon.Add(time.Minute))
	require.NoError(t, err)
	assert.Empty(t, closed)
	changes := len(store.changes)
	closed, err = c.Expire(t.Context(), noon.Add(11*time.Minute))
	require.NoError(t, err)
	require.Len(t, closed, 1)
	assert.Equal(t, "mara", closed[0].Spec.Name)
	require.Len(t, store.changes, changes+1)
	last := store.changes[changes]
	assert.Equal(t, []string{"mara"}, last.RemoveLanes)
	assert.Empty(t, last.Switched.Scenario)
	_, err = c.Snapshot().FindLane("mara", noon.Add(11*time.Minute))
	assert.ErrorContains(t, err, "is closed since 12:10:00 UTC")
	again := openLane(t, c, `{ name: mara }`)
	assert.NotEqual(t, closed[0].ID, again.ID)
	_, err = c.OpenLane(t.Context(), spec.NewLane("mara"), noon)
	assert.Equal(t, problem.Exists, codeOf(err))
	full := spec.NewLane("full")
	full.Services = map[string]spec.ServiceChanges{"moorings": {Mappings: make([]spec.Mapping, catalog.MaxLaneMappings+1)}}
	_, err = c.OpenLane(t.Context(), full, noon)
	assert.ErrorContains(t, err, `at most 5000 mappings of its own, and "full" would have 5001`)
}

// Nothing is half done when the store fails, or when a document cannot be used.
func TestSituationsAreWholeOrNot(t *testing.T) {
	c, store := titles(t)
	openLane(t, c, `{ name: mara }`)
	before := c.Snapshot()
	put := func(s spec.Scenario, ifMatch string) error {
		_, _, err := c.PutScenarioAs(t.Context(), s.Name, s, ifMatch)
		return err
	}
	store.fail = errors.New("the disk is full")
	tries := map[string]func() error{
		"use":   func() error { _, _, err := c.UseScenario(t.Context(), "", "one", 0, noon); return err },
		"put":   func() error { return put(spec.Scenario{Name: "x"}, "") },
		"open":  func() error { _, err := c.OpenLane(t.Context(), spec.NewLane("ben"), noon); return err },
		"close": func() error { _, err := c.CloseLane(t.Context(), "mara", noon); return err },
		"remove": func() error {
			return c.RemoveScenario(t.Context(), "two", "", noon)
		},
	}
	for what, try := range tries {
		assert.ErrorContains(t, try(), "the disk is full", what)
	}
	assert.Same(t, before, c.Snapshot())
	store.fail = nil

	stale := c.Snapshot().Scenario("one")
	putScenarios(t, c, strings.Replace(titled, "of one", "newer", 1))
	assert.Equal(t, problem.Stale, codeOf(put(stale.Spec, catalog.ETag(stale.Version))))
	assert.Equal(t, problem.NotFound, codeOf(put(spec.Scenario{Name: "nobody"}, `"1"`)))
	assert.Equal(t, problem.Stale, codeOf(put(stale.Spec, catalog.NotThere)))
	assert.NoError(t, put(spec.Scenario{Name: "new"}, catalog.NotThere))
	_, err := c.EditLane(t.Context(), "mara", `"1"`, noon, func(*spec.Lane) error { return nil })
	assert.Equal(t, problem.Stale, codeOf(err))
	for _, k := range []struct {
		try  func() error
		want string
	}{
		{func() error { return c.RemoveScenario(t.Context(), "one", "", noon) }, "in use by scenario two"},
		{func() error { _, _, err := c.UseScenario(t.Context(), "nobody", "one", 0, noon); return err }, "lane \"nobody\" not found"},
		{func() error { _, _, err := c.UseScenario(t.Context(), "", "one", -1, noon); return err }, "a time such as 10m"},
		{func() error { _, err := c.LeaveScenario(t.Context(), "nobody", noon); return err }, "not found"},
	} {
		assert.ErrorContains(t, k.try(), k.want)
	}
}

// A scenario follows the payloads and names of its services, and outlives them.
func TestScenariosFollowTheirServices(t *testing.T) {
	c, _ := open(t)
	_, _, err := c.PutPayload(t.Context(), "moorings", "a.txt", []byte("first"), "")
	require.NoError(t, err)
	putScenarios(t, c, `{ name: big, services: { moorings: { mappings: [{ id: a, call: { path: /a }, answer: { payload: a.txt } }] } } }`)
	_, _, err = c.UseScenario(t.Context(), "", "big", 0, noon)
	require.NoError(t, err)
	body := func(service string) string {
		fits, _ := c.Snapshot().View(nil, noon).Named(service).Fits("GET", []string{"a"}, nil)
		require.NotEmpty(t, fits)
		return string(fits[0].Value.Replies[0].Answer.Body)
	}
	assert.Equal(t, "first", body("moorings"))
	_, _, err = c.PutPayload(t.Context(), "moorings", "a.txt", []byte("second"), "")
	require.NoError(t, err)
	assert.Equal(t, "second", body("moorings"))
	renamed := spec.NewService("pier")
	_, _, err = c.PutService(t.Context(), "moorings", renamed, "")
	require.NoError(t, err)
	assert.Equal(t, "second", body("pier"))
	_, err = c.RemoveService(t.Context(), "pier", "")
	require.NoError(t, err)
	assert.Len(t, c.Snapshot().ScenarioFaults(c.Snapshot().Scenario("big")), 1)
	assert.Empty(t, c.Snapshot().View(nil, noon).Services())
}

// Views are asked for from everywhere while everything is edited.
func TestViewsWhileEditing(t *testing.T) {
	c, _ := titles(t)
	openLane(t, c, `{ name: mara, scenario: two }`)
	done := make(chan struct{})
	var askers sync.WaitGroup
	for range 4 {
		askers.Go(func() {
			for {
				select {
				case <-done:
					return
				default:
				}
				s := c.Snapshot()
				if got := winner(s.View(s.Lane("mara", noon), noon)); got != "of two" {
					t.Error(got)
					return
				}
				if got := winner(s.View(nil, noon)); got != "of all" && got != "of one" {
					t.Error(got)
					return
				}
			}
		})
	}
	for i := range 200 {
		var err error
		if i%2 == 0 {
			_, _, err = c.UseScenario(t.Context(), "", "one", 0, noon)
		} else {
			_, err = c.LeaveScenario(t.Context(), "", noon)
		}
		require.NoError(t, err)
	}
	close(done)
	askers.Wait()
}
