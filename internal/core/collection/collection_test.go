package collection

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

var noon = time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)

// operations are those of a contract with these paths and schemas.
func operations(t testing.TB, paths, schemas string) []*contract.Operation {
	t.Helper()
	c, err := openapi.Read([]byte("openapi: 3.1.0\ninfo: { title: quay, version: '1' }\npaths:\n" + indented(paths) + "components:\n  schemas:\n" + indented(indented(schemas))))
	require.NoError(t, err)
	return c.Operations
}

func indented(text string) string {
	var b strings.Builder
	for _, line := range strings.Split(strings.Trim(text, "\n"), "\n") {
		b.WriteString("  " + strings.ReplaceAll(line, "\t", "  ") + "\n")
	}
	return b.String()
}

const answers = `responses: { "200": { description: "", content: { application/json: { schema: %s } } } }`

func ok(schema string) string { return fmt.Sprintf(answers, schema) }

// one is a schema by its name.
func one(name string) string { return `{ $ref: "#/components/schemas/` + name + `" }` }

const berth = `
Berth:
  type: object
  required: [number, pier, state]
  properties:
    number: { type: string }
    pier: { type: string }
    state: { type: string, enum: [free, taken], default: free }
    length: { type: number }
    createdAt: { type: string, format: date-time, readOnly: true }
    updatedAt: { type: string, format: date-time, readOnly: true }
NewBerth:
  type: object
  properties: { number: { type: string }, pier: { type: string }, length: { type: number } }`

var berths = `
/berths:
  get: { operationId: list, parameters: [{ name: pier, in: query, schema: { type: string } }, { name: limit, in: query, schema: { type: integer } }, { name: offset, in: query, schema: { type: integer } }, { name: cursor, in: query, schema: { type: string } }, { name: sort, in: query, schema: { type: string } }, { name: q, in: query, schema: { type: string } }], ` + ok(`{ type: object, required: [berths, total], properties: { total: { type: integer }, hasMore: { type: boolean }, berths: { type: array, items: `+one("Berth")+` } } }`) + ` }
  post: { operationId: create, requestBody: { content: { application/json: { schema: ` + one("NewBerth") + ` } } }, ` + ok(one("Berth")) + ` }
/berths/{number}:
  parameters: [{ name: number, in: path, required: true, schema: { type: string } }]
  get: { operationId: read, ` + ok(one("Berth")) + ` }
  put: { operationId: replace, requestBody: { content: { application/json: { schema: ` + one("NewBerth") + ` } } }, ` + ok(one("Berth")) + ` }
  patch: { operationId: change, requestBody: { content: { application/merge-patch+json: { schema: { type: object } } } }, ` + ok(one("Berth")) + ` }
  delete: { operationId: remove, responses: { "204": { description: "" } } }
/berths/{number}/release:
  post: { operationId: release, ` + ok("{ type: object }") + ` }`

// understood is a plan in words.
func understood(p *Plan) string {
	var b strings.Builder
	for _, c := range p.Collections {
		fmt.Fprintf(&b, "%s by %s", c.Name, c.Key)
		if c.Parent != nil {
			fmt.Fprintf(&b, " below %s as %q", c.Parent.Name, c.ParentField)
		}
		for _, r := range c.Roles {
			fmt.Fprintf(&b, "; %s %s", r.Operation.ID, r.Verb)
			if len(r.within) > 0 {
				fmt.Fprintf(&b, " in %s", strings.Join(r.within, "."))
			}
		}
		b.WriteString("\n")
	}
	for _, s := range p.Stateless {
		fmt.Fprintf(&b, "%s: %s\n", s.Operation.ID, s.Why)
	}
	return b.String()
}

// What is understood of a contract: its collections with their keys and operations, and why the
// others are stateless.
func TestFind(t *testing.T) {
	wrapped := `{ type: object, properties: { data: ` + one("Berth") + ` } }`
	id := `{ type: object, properties: { id: { type: integer }, name: { type: string } } }`
	for name, k := range map[string]struct {
		paths, schemas string
		memory         spec.Memory
		want           string
	}{
		"all there is": {berths, berth, spec.Memory{},
			"berths by number; read read; replace replace; change change; remove remove; list list in berths; create create\nrelease: POST at this path has no plain meaning\n"},
		"wrapped": {`
/v2/berths: { get: { operationId: list, ` + ok(`{ type: object, properties: { data: { type: object, properties: { items: { type: array, items: `+one("Berth")+` } } } } }`) + ` } }
/v2/berths/{berthNumber}: { get: { operationId: read, ` + ok(wrapped) + ` }, delete: { operationId: remove, responses: { "204": { description: "" } } } }`, berth, spec.Memory{},
			"berths by number; read read in data; remove remove; list list in data.items\n"},
		"the key of a parameter with the name before it": {`
/ship/{shipId}: { get: { operationId: read, ` + ok(id) + ` }, delete: { operationId: remove, responses: { "204": { description: "" } } } }
/ship: { post: { operationId: add, ` + ok(id) + ` }, put: { operationId: update, requestBody: { content: { application/json: { schema: ` + id + ` } } }, ` + ok(id) + ` } }
/ship/bySignal: { get: { operationId: find, ` + ok(`{ type: array, items: `+id+` }`) + ` } }`, "X: {}", spec.Memory{},
			"ship by id; read read; remove remove; add create; update replace\nfind: nothing is created here, and no path names an item\n"},
		"nested, and from another side": {berths + `
/berths/{number}/bookings: { get: { operationId: bookings, ` + ok(`{ type: array, items: `+one("Booking")+` }`) + ` }, post: { operationId: book, ` + ok(one("Booking")) + ` } }
/bookings/{reference}: { get: { operationId: booking, ` + ok(one("Booking")) + ` } }
/piers/{pier}/lamps/{lamp}: { get: { operationId: lamp, ` + ok(id) + ` }, put: { operationId: light, ` + ok(id) + ` } }
/piers/{pier}: { get: { operationId: pier, ` + ok(`{ type: object, properties: { name: { type: string } } }`) + ` }, put: { operationId: name, ` + ok(`{ type: object }`) + ` } }`,
			berth + "\nBooking: { type: object, properties: { reference: { type: string }, berth: { type: string } } }", spec.Memory{},
			"berths by number; read read; replace replace; change change; remove remove; list list in berths; create create\n" +
				"bookings by reference below berths as \"berth\"; booking read; bookings list; book create\n" +
				"lamps by id below piers as \"\"; lamp read; light replace\npiers by name; pier read; name replace\nrelease: POST at this path has no plain meaning\n"},
		"corrected": {berths, berth, spec.Memory{Collections: map[string]spec.CollectionRule{"quay": {At: "/berths", Key: "pier"}}},
			"quay by pier; read read; replace replace; change change; remove remove; list list in berths; create create\nrelease: POST at this path has no plain meaning\n"},
		"switched off": {`/berths/{number}: { get: { operationId: read, ` + ok(one("Berth")) + ` } }`, berth, spec.Memory{Collections: map[string]spec.CollectionRule{"berths": {Off: true}}},
			"read: memory of berths is off\n"},
		"no JSON": {`/charts/{id}: { get: { operationId: chart, responses: { "200": { description: "", content: { image/png: { schema: { type: string } } } } } } }`, "X: {}", spec.Memory{},
			"chart: its answer is not JSON\n"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, k.want, understood(Find(operations(t, k.paths, k.schemas), nil, k.memory)))
		})
	}
}

// harbour is a memory of berths.
type harbour struct {
	t    testing.TB
	plan *Plan
	m    Memory
	lane string
}

func newHarbour(t testing.TB) *harbour {
	return &harbour{t: t, plan: Find(operations(t, berths, berth), nil, spec.Memory{})}
}

func (h *harbour) call(operation, key, body, query string) Outcome {
	values, err := url.ParseQuery(query)
	require.NoError(h.t, err)
	c := Call{Role: h.plan.Of(operation), Params: map[string]string{"number": key}, Query: values, Now: noon}
	if body != "" {
		c.Body, err = tree.ParseJSON([]byte(body))
		require.NoError(h.t, err)
	}
	return h.m.Do(Space{Service: "s", Lane: h.lane}, c, false)
}

func text(i *Item) string {
	if i == nil {
		return ""
	}
	return string(i.Value.AppendJSON(nil))
}

// One thing from its creation to its end.
func TestTheLifeOfAnItem(t *testing.T) {
	h := newHarbour(t)
	made := h.call("create", "", `{"number": "N7", "pier": "north", "state": "taken", "colour": "red"}`, "")
	require.True(t, made.Created)
	assert.Equal(t, `{"number":"N7","pier":"north","state":"taken","createdAt":"2026-12-01T12:00:00Z","updatedAt":"2026-12-01T12:00:00Z"}`, text(made.Item), "what the contract does not know is left out")
	assert.Equal(t, "/berths/N7", h.plan.Named("berths").Path(made.Item))
	assert.Equal(t, Conflict, h.call("create", "", `{"number": "N7", "pier": "south"}`, "").Result)
	for i := range 2 {
		again := h.m.Do(Space{Service: "s"}, Call{Role: h.plan.Of("create"), Repeat: "once", Now: noon}, false)
		assert.Equal(t, []any{"N8", true, i > 0, 2}, []any{again.Key, again.Created, again.Repeated, again.Left}, "who repeats a call gets what it created")
	}
	h.call("remove", "N8", "", "")
	assert.False(t, h.m.Do(Space{Service: "s"}, Call{Role: h.plan.Of("create"), Repeat: "once", Now: noon}, true).Repeated, "it is gone")
	next := h.call("create", "", `{"pier": "north", "createdAt": "1999-01-01T00:00:00Z"}`, "")
	assert.Equal(t, "N9", next.Key, "the next of keys that end in a number, also of those that are gone")
	assert.Contains(t, text(next.Item), `"state":"free","createdAt":"2026-12-01T12:00:00Z"`, "the default, and what only the service says")

	assert.Equal(t, `"1"`, h.call("read", "N7", "", "").Item.ETag())
	changed := h.call("change", "N7", `{"length": 12.50, "state": null, "number": "X"}`, "")
	assert.Equal(t, Invalid, changed.Result)
	assert.Contains(t, changed.Detail, "state")
	changed = h.call("change", "N7", `{"length": 12.50, "number": "X"}`, "")
	assert.Contains(t, text(changed.Item), `{"number":"N7"`, "an item keeps its key")
	assert.Contains(t, text(changed.Item), `"length":12.50`)
	replaced := h.call("replace", "N7", `{"pier": "west"}`, "")
	assert.Equal(t, `{"number":"N7","pier":"west","state":"taken","createdAt":"2026-12-01T12:00:00Z","updatedAt":"2026-12-01T12:00:00Z"}`, text(replaced.Item))
	assert.Equal(t, int64(3), replaced.Item.Version)
	stale := h.m.Do(Space{Service: "s"}, Call{Role: h.plan.Of("remove"), Params: map[string]string{"number": "N7"}, IfMatch: `"1"`}, false)
	assert.Equal(t, Stale, stale.Result)
	peeked := h.m.Do(Space{Service: "s"}, Call{Role: h.plan.Of("remove"), Params: map[string]string{"number": "N7"}}, true)
	assert.Equal(t, Done, peeked.Result)
	assert.Equal(t, Done, h.call("remove", "N7", "", "").Result, "to look changes nothing")
	for _, operation := range []string{"read", "remove", "replace", "change"} {
		assert.Equal(t, Missing, h.call(operation, "N7", `{}`, "").Result, operation)
	}
	assert.Equal(t, 1, h.call("list", "", "", "").Found)
	h.call("remove", "N9", "", "")
	assert.Equal(t, "N10", h.call("create", "", `{"pier": "north"}`, "").Key, "no key is given twice")
}

// What a list gives: filtered, in order, by pages; what is not understood changes nothing.
func TestLists(t *testing.T) {
	h := newHarbour(t)
	for i, pier := range []string{"north", "south", "north", "west", "north"} {
		h.call("create", "", fmt.Sprintf(`{"number": "N%d", "pier": %q, "length": %d}`, i+1, pier, 50-i), "")
	}
	for query, want := range map[string]string{
		"":                              "N1 N2 N3 N4 N5 of 5",
		"pier=north":                    "N1 N3 N5 of 3",
		"pier=east":                     " of 0",
		"q=SOUTH":                       "N2 of 1",
		"sort=length":                   "N5 N4 N3 N2 N1 of 5",
		"sort=-pier,length&limit=2":     "N4 N2 of 5, more",
		"sort=pier:desc&limit=1":        "N4 of 5, more",
		"limit=2&offset=3":              "N4 N5 of 5",
		"limit=2&offset=4":              "N5 of 5",
		"offset=99":                     " of 5",
		"limit=-1":                      "N1 N2 N3 N4 N5 of 5",
		"pier=north&limit=2":            "N1 N3 of 3, more",
		"limit=2&cursor=" + cursorTo(2): "N3 N4 of 5, more",
		"colour=red":                    "N1 N2 N3 N4 N5 of 5",
	} {
		out := h.call("list", "", "", query)
		keys := []string{}
		for _, item := range out.Items {
			keys = append(keys, item.Key)
		}
		got := fmt.Sprintf("%s of %d", strings.Join(keys, " "), out.Found)
		if out.Page.Next != "" {
			got += ", more"
		}
		assert.Equal(t, want, got, query)
	}
	out := h.call("list", "", "", "limit=2")
	list := h.plan.Of("list")
	built, err := tree.ParseJSON([]byte(`{"total": 99, "hasMore": false, "note": "kept", "berths": []}`))
	require.NoError(t, err)
	assert.Regexp(t, `^\{"total":5,"hasMore":true,"note":"kept","berths":\[\{"number":"N1".*\},\{"number":"N2".*\}\]\}$`, string(list.Body(&out, built).AppendJSON(nil)))
}

// A lane has a copy of its own from when it is first written to; a reset takes it back.
func TestLanesAndResets(t *testing.T) {
	h := newHarbour(t)
	h.call("create", "", `{"number": "N1", "pier": "north"}`, "")
	h.lane = "mara"
	assert.Equal(t, 1, h.call("list", "", "", "").Found, "until then it sees what everybody does")
	h.call("change", "N1", `{"pier": "west"}`, "")
	h.call("create", "", `{"number": "N2", "pier": "north"}`, "")
	h.lane = ""
	assert.Equal(t, 1, h.call("list", "", "", "").Found)
	assert.Contains(t, text(h.call("read", "N1", "", "").Item), `"north"`)
	h.call("remove", "N1", "", "")
	h.lane = "mara"
	assert.Equal(t, 2, h.call("list", "", "", "").Found)
	h.m.Reset(Space{Service: "s", Lane: "mara"}, "berths")
	assert.Zero(t, h.call("list", "", "", "").Found)
	assert.True(t, h.m.State(Space{Service: "s", Lane: "mara"}, h.plan).Own)
	h.m.ForgetLane("mara")
	assert.False(t, h.m.State(Space{Service: "s", Lane: "mara"}, h.plan).Own)
	h.lane = ""
	h.call("create", "", `{"number": "N3", "pier": "north"}`, "")
	h.m.Reset(Space{Service: "s"}, "")
	assert.Zero(t, h.call("list", "", "", "").Found)
}

// What a collection begins with: the examples of the contract, items, or so many that are drawn.
func TestStartingData(t *testing.T) {
	shown := strings.Replace(berths, "berths: { type: array, items: "+one("Berth")+" } } }", "berths: { type: array, items: "+one("Berth")+" } } }, example: { total: 2, berths: [{ number: N1, pier: north, state: free }, { number: N1, pier: twice, state: free }, { pier: none, state: free }] }", 1)
	item, err := tree.ParseJSON([]byte(`{"number": "S1", "pier": "south"}`))
	require.NoError(t, err)
	nameless, err := tree.ParseJSON([]byte(`{"pier": "south"}`))
	require.NoError(t, err)
	for name, k := range map[string]struct {
		rule    spec.CollectionRule
		want    []string
		unkeyed int
	}{
		"examples":  {spec.CollectionRule{}, []string{"N1"}, 0},
		"items":     {spec.CollectionRule{Items: []*tree.Node{item, nameless}}, []string{"S1"}, 1},
		"nothing":   {spec.CollectionRule{Items: []*tree.Node{}}, []string{}, 0},
		"generated": {spec.CollectionRule{Generate: 3}, []string{"1", "2", "3"}, 0},
	} {
		t.Run(name, func(t *testing.T) {
			plan := Find(operations(t, shown, berth), nil, spec.Memory{Collections: map[string]spec.CollectionRule{"berths": k.rule}})
			var m Memory
			keys := []string{}
			for _, item := range m.Items(Space{Service: "s"}, plan.Named("berths")) {
				keys = append(keys, item.Key)
				if k.rule.Generate > 0 {
					assert.Empty(t, plan.Named("berths").schema.Breach(item.Value))
				}
			}
			assert.Equal(t, k.want, keys)
			assert.Equal(t, k.unkeyed, plan.Named("berths").Unkeyed)
		})
	}
}

// Where no call creates the items of a collection and none is shown, one is there as soon as it
// is asked for, and gone when it was removed.
func TestItemsArise(t *testing.T) {
	paths := `
/lamps: { get: { operationId: list, ` + ok(`{ type: array, items: `+one("Berth")+` }`) + ` } }
/lamps/{number}: { get: { operationId: read, ` + ok(one("Berth")) + ` }, patch: { operationId: change, requestBody: { content: { application/json: { schema: { type: object } } } }, ` + ok(one("Berth")) + ` }, delete: { operationId: remove, responses: { "204": { description: "" } } } }`
	h := &harbour{t: t, plan: Find(operations(t, paths, berth), nil, spec.Memory{})}
	assert.Zero(t, h.call("list", "", "", "").Found)
	first := h.call("read", "7", "", "")
	require.Equal(t, Done, first.Result)
	assert.Equal(t, "7", first.Item.Value.Get("number").Text)
	assert.Equal(t, text(first.Item), text(h.call("read", "7", "", "").Item), "it is remembered")
	assert.Contains(t, text(h.call("change", "7", `{"pier": "east"}`, "").Item), `"pier":"east"`)
	assert.Equal(t, 1, h.call("list", "", "", "").Found)
	h.call("remove", "7", "", "")
	assert.Equal(t, Missing, h.call("read", "7", "", "").Result)
	peeked := h.m.Do(Space{Service: "s"}, Call{Role: h.plan.Of("read"), Params: map[string]string{"number": "8"}}, true)
	assert.Equal(t, "8", peeked.Item.Key)
	assert.Zero(t, h.call("list", "", "", "").Found, "to look brings none into being")
	h.m.limits = Limits{Items: 5, Bytes: 1 << 20}
	for i := range 20 {
		h.call("read", strconv.Itoa(100+i), "", "")
	}
	assert.LessOrEqual(t, h.call("list", "", "", "").Found, 5, "those that arise are bounded, too")
}

// What is created and removed again and again leaves nothing behind, and to look changes nothing.
func TestNothingIsLeftBehind(t *testing.T) {
	h := newHarbour(t)
	for range 1_000 {
		made := h.call("create", "", `{"pier": "north"}`, "")
		h.call("remove", made.Key, "", "")
	}
	space := h.m.spaces[Space{Service: "s"}]
	held := space.collections["berths"]
	assert.Less(t, len(held.order), 5)
	assert.Empty(t, held.ended)
	assert.Zero(t, space.bytes)
	h.call("create", "", `{"number": "N7", "pier": "north"}`, "")
	before := text(h.call("read", "N7", "", "").Item)
	for _, operation := range []string{"create", "replace", "change", "remove"} {
		body, err := tree.ParseJSON([]byte(`{"pier": "south"}`))
		require.NoError(t, err)
		out := h.m.Do(Space{Service: "s"}, Call{Role: h.plan.Of(operation), Params: map[string]string{"number": "N7"}, Body: body, Repeat: "x", Now: noon}, true)
		assert.Equal(t, Done, out.Result, operation)
		assert.Equal(t, before, text(h.call("read", "N7", "", "").Item), operation)
		assert.Equal(t, 1, h.call("list", "", "", "").Found, operation)
	}
}

// Too many are forgotten, those first that nobody used, and counted.
func TestMemoryIsBounded(t *testing.T) {
	h := newHarbour(t)
	h.m.limits = Limits{Items: 3, Bytes: 1 << 20}
	for i := range 3 {
		h.call("create", "", fmt.Sprintf(`{"number": "N%d", "pier": "north"}`, i), "")
	}
	h.call("read", "N0", "", "")
	h.call("create", "", `{"number": "N9", "pier": "north"}`, "")
	assert.Equal(t, Missing, h.call("read", "N1", "", "").Result)
	assert.Equal(t, Done, h.call("read", "N0", "", "").Result)
	assert.Equal(t, int64(1), h.m.State(Space{Service: "s"}, h.plan).Evicted)
	h.m.limits = Limits{Items: 100, Bytes: 3000}
	h.call("create", "", `{"number": "big", "pier": "`+strings.Repeat("x", 2000)+`"}`, "")
	assert.Less(t, h.m.State(Space{Service: "s"}, h.plan).Bytes, int64(3001))
}

// The memory does what a plain map would, whatever is done in whatever order, from several sides
// at once.
func TestMemoryIsLikeAMap(t *testing.T) {
	h := newHarbour(t)
	var all sync.WaitGroup
	for lane := range 4 {
		all.Go(func() {
			own := &harbour{t: t, plan: h.plan, lane: "lane" + strconv.Itoa(lane)}
			chance, model, order := rand.New(rand.NewPCG(uint64(lane), 1)), map[string]string{}, []string{}
			do := func(operation, key, body string) Outcome {
				c := Call{Role: own.plan.Of(operation), Params: map[string]string{"number": key}, Now: noon}
				if body != "" {
					c.Body, _ = tree.ParseJSON([]byte(body))
				}
				return h.m.Do(Space{Service: "s", Lane: own.lane}, c, chance.IntN(20) == 0 && operation == "read")
			}
			for step := range 2_000 {
				key := "N" + strconv.Itoa(chance.IntN(30))
				pier := strconv.Itoa(step)
				_, there := model[key]
				switch chance.IntN(5) {
				case 0:
					out := do("create", "", fmt.Sprintf(`{"number": %q, "pier": %q}`, key, pier))
					if !assert.Equal(t, !there, out.Created) {
						return
					}
					if !there {
						model[key], order = pier, append(order, key)
					}
				case 1, 2:
					out := do([]string{"replace", "change"}[chance.IntN(2)], key, fmt.Sprintf(`{"pier": %q}`, pier))
					if !assert.Equal(t, there, out.Result == Done) {
						return
					}
					if there {
						model[key] = pier
					}
				case 3:
					if !assert.Equal(t, there, do("remove", key, "").Result == Done) {
						return
					}
					delete(model, key)
					order = slices.DeleteFunc(order, func(k string) bool { return k == key })
				default:
					out := do("read", key, "")
					if !assert.Equal(t, there, out.Result == Done) || there && !assert.Equal(t, model[key], out.Item.Value.Get("pier").Text) {
						return
					}
					keys := []string{}
					for _, item := range do("list", "", "").Items {
						keys = append(keys, item.Key)
					}
					if !assert.Equal(t, strings.Join(order, " "), strings.Join(keys, " ")) {
						return
					}
				}
			}
		})
	}
	all.Wait()
}

// What a call costs among 10,000 items, and with an item of 1 MB.
func BenchmarkMemory(b *testing.B) {
	for name, k := range map[string]struct{ operation, key, body, query string }{
		"read":           {"read", "N5000", "", ""},
		"list of 20":     {"list", "", "", "limit=20&offset=5000"},
		"filtered":       {"list", "", "", "pier=7&limit=20"},
		"sorted":         {"list", "", "", "sort=-length&limit=20"},
		"change":         {"change", "N5000", `{"length": 7}`, ""},
		"create, remove": {"create", "", `{"pier": "north"}`, ""},
		"change of 1 MB": {"change", "big", `{"length": 7}`, ""},
	} {
		b.Run(name, func(b *testing.B) {
			h := newHarbour(b)
			for i := range 10_000 {
				h.call("create", "", fmt.Sprintf(`{"number": "N%d", "pier": "%d", "length": %d}`, i, i%50, i), "")
			}
			h.call("create", "", `{"number": "big", "pier": "`+strings.Repeat("x", 1<<20)+`"}`, "")
			b.ReportAllocs()
			for b.Loop() {
				out := h.call(k.operation, k.key, k.body, k.query)
				if out.Result != Done {
					b.Fatal(out.Detail)
				}
				if out.Created {
					h.call("remove", out.Key, "", "")
				}
			}
		})
	}
}
