package match_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
)

func template(t testing.TB, text string) match.Template {
	parsed, err := match.ParseTemplate(text)
	require.NoError(t, err)
	return parsed
}

func TestTemplates(t *testing.T) {
	for _, c := range []struct {
		template, path string
		params         map[string]string // nil when the path must not fit
	}{
		{"/berths/{number}", "/berths/N7", map[string]string{"number": "N7"}},
		{"/berths/{number}", "/berths/N%207%2F8", map[string]string{"number": "N 7/8"}},
		{"/berths/{number}", "/berths/", nil},
		{"/berths/{number}", "/berths/N7/", nil},
		{"/berths", "/berths/", nil},
		{"/berths/", "/berths/", map[string]string{}},
		{"/a%20b", "/a b", map[string]string{}},
		{"/", "/", map[string]string{}},
		{"/charts/{name}.{format}", "/charts/sound.north.pdf", map[string]string{"name": "sound", "format": "north.pdf"}},
		{"/charts/{name}.{format}", "/charts/sound", nil},
		{"/log/{from}...{until}", "/log/a...b", map[string]string{"from": "a", "until": "b"}},
	} {
		segments := match.Split(nil, c.path)
		parsed := template(t, c.template)
		assert.Equal(t, c.params != nil, parsed.Fits(segments), "%s on %s", c.template, c.path)
		if c.params != nil {
			assert.Equal(t, c.params, parsed.Params(segments))
		}
	}
	for text, want := range map[string]string{
		"berths":         "must begin with /",
		"/a/{":           "does not close its brace",
		"/a/x}":          "closes a brace that was not opened",
		"/a/{}":          "{} must hold a name",
		"/a/{x y}":       "{x y} must hold a name",
		"/{a}/{a}":       "has {a} twice",
		"/berths?free=1": "a path has no query",
		"/%zz":           "invalid URL escape",
	} {
		_, err := match.ParseTemplate(text)
		assert.ErrorContains(t, err, want, text)
	}
}

func TestTheWinnerIsDefined(t *testing.T) {
	rule := func(id string, rank int, methods, path string) *match.Rule {
		return &match.Rule{ID: id, Rank: rank, Methods: strings.Fields(methods), Template: template(t, path)}
	}
	// each is beaten by all before it, for the reason given
	order := []struct {
		rule *match.Rule
		loss string
	}{
		{rule("high", 9, "", "/{a}/{b}"), ""},
		{rule("literal", 0, "", "/berths/N7"), "rank 0 is below rank 9"},
		{rule("partly", 0, "", "/berths/N{digit}"), "less specific"},
		{rule("named-b", 0, "GET", "/berths/{b}"), "less specific"},
		{rule("named-c", 0, "GET", "/berths/{b}"), "order of ids"},
		{rule("any-method", 0, "", "/berths/{b}"), "names the method"},
		{rule("open", 0, "GET", "/{a}/N7"), "less specific"},
	}
	shuffled := slices.Clone(order)
	rand.New(rand.NewPCG(1, 2)).Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
	var rules match.Rules[string]
	for _, o := range shuffled {
		rules.Add(o.rule, o.rule.ID)
	}
	rules.Add(rule("other-method", 99, "PUT", "/berths/N7"), "other-method")
	fits, _ := rules.Find("GET", []string{"berths", "N7"}, nil)
	require.Len(t, fits, len(order)+1)
	for i, o := range order {
		assert.Equal(t, o.rule.ID, fits[i].Value)
		assert.True(t, fits[i].Method)
		if i > 0 {
			assert.Contains(t, o.rule.Loss(order[i-1].rule).String(), o.loss, o.rule.ID)
		}
	}
	assert.Equal(t, "other-method", fits[len(order)].Value)
	assert.False(t, fits[len(order)].Method)
}

func TestClosestNamesThePart(t *testing.T) {
	candidate := func(id, methods, path string) match.Candidate {
		return match.Candidate{Kind: "operation", ID: id, Methods: strings.Fields(methods), Template: template(t, path)}
	}
	candidates := []match.Candidate{
		candidate("listBerths", "GET", "/berths"), candidate("getBerth", "GET", "/berths/{number}"),
		candidate("book", "POST", "/berths/{number}/bookings"), candidate("dues", "GET", "/dues"),
		candidate("chart", "GET", "/charts/{name}.{format}"),
	}
	for _, c := range []struct{ method, path, id, text string }{
		{"GET", "/bertsh/N7", "getBerth", "path, segment 1: `bertsh`, expected `berths`"},
		{"GET", "/Berths/N7", "getBerth", "path, segment 1: `Berths`, expected `berths`"},
		{"DELETE", "/berths/N7", "getBerth", "method: `DELETE`, expected `GET`"},
		{"POST", "/berths/N7/booking", "book", "path, segment 3: `booking`, expected `bookings`"},
		{"GET", "/berths/", "getBerth", "path, segment 2: ``, expected `{number}`"},
		{"GET", "/due", "dues", "path, segment 1: `due`, expected `dues`"},
		{"GET", "/dues/7", "dues", "path, length: `/dues/7`, expected `/dues`"},
		{"GET", "/charts/sound", "chart", "path, segment 2: `sound`, expected `{name}.{format}`"},
		{"GET", "/completely/else", "", ""},
	} {
		near := match.Closest(c.method, match.Split(nil, c.path), candidates, 3)
		if c.id == "" {
			assert.Empty(t, near, c.path)
			continue
		}
		require.NotEmpty(t, near, c.path)
		assert.Equal(t, c.id, near[0].ID, c.path)
		assert.Equal(t, c.text, near[0].String(), c.path)
	}
}

// The router must find exactly what asking every template finds.
func FuzzRouterFindsWhatAskingEachFinds(f *testing.F) {
	f.Add(uint64(1), "/berths/N7")
	f.Add(uint64(7), "/a/b.c/%20")
	f.Add(uint64(9), "/a")
	f.Add(uint64(112), "//")
	texts := []string{"/", "/a", "/a/", "/{x}", "/a/{x}", "/{x}/b", "/{x}.c", "/a/{x}.{y}", "/a/b.c", "/a/b/{z}", "/{x}/{y}/{z}", "/berths/N{d}", "/a/{r...}", "/{r...}", "/a/{o?}", "/{o?}", "/a/{x:[b-d]+}", "/{x:N[0-9]{1,2}}"}
	f.Fuzz(func(t *testing.T, seed uint64, path string) {
		chance := rand.New(rand.NewPCG(seed, 0))
		var router match.Router[int]
		var chosen []match.Template
		for range 20 {
			parsed := template(t, texts[chance.IntN(len(texts))])
			router.Add(parsed, len(chosen))
			chosen = append(chosen, parsed)
		}
		segments := match.Split(nil, path)
		var want []int
		for i, c := range chosen {
			if c.Fits(segments) {
				want = append(want, i)
			}
		}
		got := router.Find(nil, segments)
		slices.Sort(got)
		if !slices.Equal(want, got) {
			t.Fatalf("%q: router finds %v, asking each finds %v", path, got, want)
		}
	})
}

// The index must find the same winner as asking every rule does, however many
// share a path.
func FuzzIndexFindsTheWinnerThatAskingEachFinds(f *testing.F) {
	f.Add(uint64(1), "season=a&season=b&tier=c", 60)
	f.Add(uint64(2), "", 25)
	f.Add(uint64(3), "tier=a", 10)
	f.Add(uint64(4), "season=b&tier=c", 90)
	f.Add(uint64(5), "season=a&tier=1", 99)
	f.Fuzz(func(t *testing.T, seed uint64, query string, count int) {
		chance := rand.New(rand.NewPCG(seed, 1))
		some := func(texts ...string) string { return texts[chance.IntN(len(texts))] }
		var rules match.Rules[*match.Rule]
		var all []*match.Rule
		for i := range min(max(count, 0), 100) {
			var where string
			for range chance.IntN(3) {
				where += some("{query: season, equals: a},", "{query: season, equals: b},", "{query: tier, equals: c},", "{query: tier, equals: 1},",
					"{query: season, not: a},", "{query: tier},", "{any: [{query: tier, equals: a}]},", "{header: x, equals: a},",
					"{body: $, equals: {n: 1}},", "{body: $, equals: {n: 2.0}, except: [$.at]},", "{text: true, digest: 'sha256:e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855'},", "{only: query, except: [season]},")
			}
			mappings, err := spec.ReadMappings([]byte("call: {path: /x, where: [" + where + "]}"))
			require.NoError(t, err)
			conditions, fault := compiler.Conditions(mappings[0].Call)
			require.Nil(t, fault)
			rule := &match.Rule{ID: fmt.Sprint("m", i), Rank: chance.IntN(2), Template: template(t, some("/berths/{n}", "/berths/N7")),
				Conditions: conditions, Operation: some("", "", "book", "list")}
			rules.Add(rule, rule)
			all = append(all, rule)
		}
		fits := func(r *match.Rule, facts *match.Facts) bool {
			return (r.Operation == "" || r.Operation == facts.Operation) && r.Conditions.Fails(facts, nil) == nil
		}
		body := []byte(some("", `{"n": 1}`, `{"at": 7, "n": 2}`, `{"n": 2}`))
		facts := &match.Facts{Request: &call.Request{Method: "GET", Query: query, Body: call.Body{Bytes: body}}, Operation: "book"}
		segments := []string{"berths", "N7"}
		slices.SortFunc(all, func(a, b *match.Rule) int { return a.Compare(b) })
		want := slices.IndexFunc(all, func(r *match.Rule) bool { return fits(r, facts) })
		found, others := rules.Find("GET", segments, facts)
		got := slices.IndexFunc(found, func(f match.Fit[*match.Rule]) bool { return fits(f.Rule, facts) })
		if len(found)+others != len(all) {
			t.Fatalf("%d found and %d left out, of %d", len(found), others, len(all))
		}
		if (want < 0) != (got < 0) || want >= 0 && all[want] != found[got].Rule {
			t.Fatalf("the index finds number %d of %d, asking each finds number %d", got, len(found), want)
		}
	})
}

// BenchmarkFindOnOnePath tells mappings apart by what the body says.
func BenchmarkFindOnOnePath(b *testing.B) {
	for _, n := range []int{100, 10_000, 100_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			var rules match.Rules[int]
			path := template(b, "/bookings")
			for i := range n {
				mappings, err := spec.ReadMappings(fmt.Appendf(nil, `{"call": {"path": "/bookings", "where": [{"query": "berth", "equals": "N%d"}]}}`, i))
				require.NoError(b, err)
				conditions, _ := compiler.Conditions(mappings[0].Call)
				rules.Add(&match.Rule{ID: fmt.Sprint(i), Template: path, Conditions: conditions}, i)
			}
			b.ReportAllocs()
			i := 0
			for b.Loop() {
				i = (i + 7919) % n
				facts := &match.Facts{Request: &call.Request{Method: "GET", Query: fmt.Sprintf("berth=N%d", i)}}
				if fits, _ := rules.Find("GET", []string{"bookings"}, facts); len(fits) != 1 || fits[0].Rule.Conditions.Fails(facts, nil) != nil {
					b.Fatal("not found")
				}
			}
		})
	}
}

// BenchmarkFindRecorded finds a recorded call among many to one path: by a whole body of
// a megabyte or by the one parameter of several that tells.
func BenchmarkFindRecorded(b *testing.B) {
	padding := strings.Repeat("x", 1<<20)
	for name, c := range map[string]struct {
		where string
		call  func(i int) call.Request
	}{
		"bodies": {`{"body": "$", "equals": {"n": %d, "at": ""}, "except": ["$.at", "$.padding"]}`, func(i int) call.Request {
			return call.Request{Body: call.Body{Bytes: fmt.Appendf(nil, `{"n": %d, "at": "now"}`, i)}}
		}},
		"large": {`{"body": "$", "equals": {"n": %d, "at": ""}, "except": ["$.at", "$.padding"]}`, func(i int) call.Request {
			return call.Request{Body: call.Body{Bytes: fmt.Appendf(nil, `{"n": %d, "padding": "%s"}`, i, padding)}}
		}},
		"pages": {`{"query": "limit", "equals": "20"}, {"query": "offset", "equals": "%d"}, {"only": "query"}`, func(i int) call.Request {
			return call.Request{Query: fmt.Sprintf("limit=20&offset=%d", i)}
		}},
		"secrets": {`{"header": "authorization", "digest": "secret-%032d"}, {"only": "query"}`, func(i int) call.Request {
			return call.Request{Header: call.Header{"Authorization": {fmt.Sprintf("Bearer %032d", i)}}}
		}},
	} {
		for _, n := range []int{100, 10_000} {
			b.Run(fmt.Sprint(name, "/", n), func(b *testing.B) {
				var rules match.Rules[int]
				path := template(b, "/bookings")
				for i := range n {
					mappings, err := spec.ReadMappings(fmt.Appendf(nil, `{"call": {"path": "/bookings", "where": [`+c.where+`]}}`, i))
					require.NoError(b, err)
					conditions, fault := compiler.Conditions(mappings[0].Call)
					require.Nil(b, fault)
					rules.Add(&match.Rule{ID: fmt.Sprint(i), Template: path, Conditions: conditions}, i)
				}
				i := 0
				for b.Loop() {
					i = (i + 7919) % n
					r := c.call(i)
					facts := &match.Facts{Request: &r, StandIn: func(secret string) string { return "secret-" + secret }}
					fits, _ := rules.Find("GET", []string{"bookings"}, facts)
					if len(fits) > 25 || !slices.ContainsFunc(fits, func(f match.Fit[int]) bool { return f.Value == i && f.Rule.Conditions.Fails(facts, nil) == nil }) {
						b.Fatalf("%d of %d found", len(fits), n)
					}
				}
			})
		}
	}
}

func BenchmarkFind(b *testing.B) {
	for _, n := range []int{100, 10_000, 100_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			var rules match.Rules[int]
			for i := range n {
				rules.Add(&match.Rule{ID: fmt.Sprint(i), Methods: []string{"GET"}, Template: template(b, fmt.Sprintf("/berths/N%d/bookings", i))}, i)
			}
			b.ReportAllocs()
			i := 0
			for b.Loop() {
				i = (i + 7919) % n
				segments := match.Split(make([]string, 0, 8), fmt.Sprintf("/berths/N%d/bookings", i))
				if fits, _ := rules.Find("GET", segments, nil); len(fits) != 1 {
					b.Fatal("not found")
				}
			}
		})
	}
}

func TestTemplatesAndTheirParameters(t *testing.T) {
	for _, c := range []struct {
		template, path string
		want           map[string]string // nil when it must not fit
	}{
		{"/berths/{number:[NS][0-9]{1,2}}", "/berths/N12", map[string]string{"number": "N12"}},
		{"/berths/{number:[NS][0-9]{1,2}}", "/berths/N123", nil},
		{"/{pier:[NS]}{number:[0-9]+}.{format}", "/N7.json", map[string]string{"pier": "N", "number": "7", "format": "json"}},
		{"/files/{rest...}", "/files/a/b/c", map[string]string{"rest": "a/b/c"}},
		{"/files/{rest...}", "/files", nil},
		{"/log/{year?}", "/log", map[string]string{}},
		{"/log/{year?}", "/log/2026", map[string]string{"year": "2026"}},
		{"/log/{year?}", "/log/2026/1", nil},
	} {
		parsed := template(t, c.template)
		segments := match.Split(nil, c.path)
		if assert.Equal(t, c.want != nil, parsed.Fits(segments), "%s on %s", c.template, c.path) && c.want != nil {
			assert.Equal(t, c.want, parsed.Params(segments))
		}
	}
	path, ok := template(t, "/a/{x:[b-d]{1,2}}/{y}").Fill(map[string]string{"x": "b", "y": "c"})
	assert.True(t, ok)
	assert.Equal(t, "/a/b/c", path)
	for text, want := range map[string]string{
		"/{a...}/b": "{a...} must be the last segment", "/{a?}/b": "{a?} must be the last segment", "/{a:(}": "missing closing )", "/{a:(x)}": "write groups as (?:…)",
		"/{a": "does not close its brace", "/a}": "closes a brace that was not opened", "/{1}": "{1} must hold a name", "/{a}/{a}": "has {a} twice", "/a?b=c": "a path has no query", "/{a}?b": "a path has no query",
	} {
		_, err := match.ParseTemplate(text)
		assert.ErrorContains(t, err, want, text)
	}
}

// Of patterns that fit, the one with more text of its own comes first, in whatever order they were added.
func TestMoreTextBeforeLess(t *testing.T) {
	texts := []string{"/galleries/{page}.{format}", "/galleries/{page}t.{format}", "/galleries/cover.{format}", "/galleries/cover.png", "/galleries/{name}"}
	for path, want := range map[string][]int{
		"/galleries/cover.png": {3, 2, 0, 4}, "/galleries/cover.jpg": {2, 0, 4}, "/galleries/6t.png": {1, 0, 4}, "/galleries/6.png": {0, 4}, "/galleries/6": {4},
	} {
		for _, order := range [][]int{{0, 1, 2, 3, 4}, {4, 3, 2, 1, 0}, {1, 0, 4, 2, 3}} {
			var router match.Router[int]
			var rules match.Rules[*match.Rule]
			for _, i := range order {
				router.Add(template(t, texts[i]), i)
				rule := &match.Rule{ID: texts[i], Template: template(t, texts[i])}
				rules.Add(rule, rule)
			}
			assert.Equal(t, want, router.Find(nil, match.Split(nil, path)), path)
			found, _ := rules.Find("GET", match.Split(nil, path), &match.Facts{Request: &call.Request{}})
			require.NotEmpty(t, found)
			assert.Equal(t, texts[want[0]], found[0].Rule.ID, path)
		}
	}
}
