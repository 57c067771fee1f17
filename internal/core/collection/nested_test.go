package collection

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

const booking = `
Booking:
  type: object
  required: [reference, berth, vessel, tags]
  properties:
    reference: { type: string }
    berth: { type: string }
    vessel: { type: object, properties: { name: { type: string }, owner: { type: object, properties: { name: { type: string } } } } }
    tags: { type: array, items: { type: string } }
    pilot: { type: string, example: Ida Holm }
    state: { type: string, readOnly: true, example: asked }
NewBooking:
  type: object
  properties: { reference: { type: string }, vessel: { type: object }, pilot: { type: string }, tags: { type: array } }
Page:
  type: object
  properties:
    items: { type: array, items: { $ref: "#/components/schemas/Booking" } }
    page: { type: object, properties: { number: { type: integer }, totalPages: { type: integer }, totalElements: { type: integer }, numberOfElements: { type: integer }, first: { type: boolean }, last: { type: boolean }, empty: { type: boolean } } }
    number: { type: integer }`

// bookings stand below berths; their list has pages that begin with a number.
func bookings(firstPage int) string {
	return berths + `
/berths/{number}/bookings:
  get: { operationId: bookings, parameters: [{ name: page, in: query, schema: { type: integer, minimum: ` + fmt.Sprint(firstPage) + ` } }, { name: size, in: query, schema: { type: integer, default: 2 } }], ` + ok(one("Page")) + ` }
  post: { operationId: book, requestBody: { content: { application/json: { schema: ` + one("NewBooking") + ` } } }, ` + ok(one("Booking")) + ` }
/berths/{number}/bookings/{reference}:
  get: { operationId: booking, ` + ok(one("Booking")) + ` }
  patch: { operationId: rebook, requestBody: { content: { application/merge-patch+json: { schema: { type: object } } } }, ` + ok(one("Booking")) + ` }`
}

func (h *harbour) below(operation, berth, reference, body, query string) Outcome {
	h.t.Helper()
	c := Call{Role: h.plan.Of(operation), Params: map[string]string{"number": berth, "reference": reference}, Now: noon}
	c.Query = make(map[string][]string)
	if name, value, ok := strings.Cut(query, "="); ok {
		c.Query[name] = []string{value}
	}
	if body != "" {
		var err error
		c.Body, err = tree.ParseJSON([]byte(body))
		require.NoError(h.t, err)
	}
	return h.m.Do(Space{Service: "s"}, c, false)
}

// What stands below an item is its own, goes by its key, and is listed for it alone.
func TestItemsBelowOthers(t *testing.T) {
	h := &harbour{t: t, plan: Find(operations(t, bookings(1), berth+booking), nil, spec.Memory{})}
	for _, number := range []string{"N1", "N2"} {
		h.call("create", "", fmt.Sprintf(`{"number": %q, "pier": "north"}`, number), "")
	}
	first := h.below("book", "N1", "", `{"reference": "B7", "vessel": {"name": "Tern"}}`, "")
	require.True(t, first.Created, first.Detail)
	assert.Equal(t, `{"reference":"B7","berth":"N1","vessel":{"name":"Tern"},"tags":[],"state":"asked"}`, text(first.Item),
		"it is of its berth; a list begins empty; what only the service says is as the contract shows it, what callers may say stays away")
	assert.True(t, h.below("book", "N2", "", `{"reference": "B7"}`, "").Created, "another berth has one of the same name")
	assert.Equal(t, Conflict, h.below("book", "N1", "", `{"reference": "B7"}`, "").Result)
	assert.Equal(t, Missing, h.below("book", "N9", "", `{"reference": "B8"}`, "").Result, "there is no such berth")
	assert.Equal(t, 1, h.below("bookings", "N1", "", "", "").Found)
	assert.Equal(t, "Tern", h.below("booking", "N1", "B7", "", "").Item.Value.Path("vessel", "name").Text)

	for _, k := range []struct{ patch, want string }{
		{`{"vessel": {"owner": {"name": "Mara"}}}`, `{"name":"Tern","owner":{"name":"Mara"}}`},
		{`{"vessel": {"name": null}}`, `{"owner":{"name":"Mara"}}`},
		{`{"vessel": {"owner": {"name": null}}}`, `{"owner":{}}`},
	} {
		out := h.below("rebook", "N1", "B7", k.patch, "")
		require.Equal(t, Done, out.Result, out.Detail)
		assert.Equal(t, k.want, string(out.Item.Value.Get("vessel").AppendJSON(nil)), k.patch)
	}
	h.call("remove", "N1", "", "")
	assert.Equal(t, Missing, h.below("bookings", "N1", "", "", "").Result, "they are gone with it")
	assert.Equal(t, 1, h.below("bookings", "N2", "", "", "").Found)
}

// Pages begin with 1 or with 0, as the contract says; one beyond the last is empty, and the answer
// counts.
func TestPages(t *testing.T) {
	for _, first := range []int{0, 1} {
		h := &harbour{t: t, plan: Find(operations(t, bookings(first), berth+booking), nil, spec.Memory{})}
		h.call("create", "", `{"number": "N1", "pier": "north"}`, "")
		for i := range 5 {
			require.True(t, h.below("book", "N1", "", fmt.Sprintf(`{"reference": "B%d"}`, i), "").Created)
		}
		built, err := tree.ParseJSON([]byte(`{"items": [], "page": {"number": 9, "totalPages": 9, "totalElements": 9}, "number": 7}`))
		require.NoError(t, err)
		for page, want := range map[int]string{0: "B0 B1", 1: "B2 B3", 2: "B4", 3: "", 99: "", -1: "B0 B1"} {
			out := h.below("bookings", "N1", "", "", fmt.Sprintf("page=%d", first+page))
			keys := []string{}
			for _, item := range out.Items {
				keys = append(keys, item.Key)
			}
			assert.Equal(t, want, strings.Join(keys, " "), "page %d from %d", page, first)
			body := h.plan.Of("bookings").Body(&out, built)
			assert.Equal(t, fmt.Sprintf(`{"number":%d,"totalPages":3,"totalElements":5,"numberOfElements":%d,"first":%t,"last":%t,"empty":%t}`,
				first+max(page, 0), len(keys), page <= 0, page >= 2, want == ""), string(body.Get("page").AppendJSON(nil)))
			assert.Equal(t, "7", body.Get("number").Text, "without totals beside it a number is another one")
		}
	}
}

// What reads and lists told of is told once, each below its own; what has no key, and what other
// operations say, is not.
func TestGathered(t *testing.T) {
	plan := Find(operations(t, bookings(1), berth+booking), nil, spec.Memory{})
	told := func(operation, answer string) Told {
		n, err := tree.ParseJSON([]byte(answer))
		require.NoError(t, err)
		return Told{Role: plan.Of(operation), Answer: n}
	}
	all := []Told{
		told("bookings", `{"items": [{"reference": "B1", "berth": "N1"}, {"reference": "B1", "berth": "N2"}, {"berth": "N3"}, 7, {"reference": "B1", "berth": "N1", "pilot": "again"}]}`),
		told("booking", `{"reference": "B2", "berth": "N1"}`),
		told("book", `{"reference": "B3", "berth": "N1"}`),
		told("read", `{"number": "N1"}`),
		{Role: plan.Of("booking")}, {},
	}
	got := ""
	for _, item := range plan.Named("bookings").Gathered(all) {
		got += string(item.AppendJSON(nil))
	}
	assert.Equal(t, `{"reference":"B1","berth":"N1"}{"reference":"B1","berth":"N2"}{"reference":"B2","berth":"N1"}`, got)
	var many []string
	for i := range spec.MaxStartingItems + 1 {
		many = append(many, fmt.Sprintf(`{"number": "N%d"}`, i))
	}
	assert.Len(t, plan.Named("berths").Gathered([]Told{told("list", `{"berths": [`+strings.Join(many, ",")+`]}`)}), spec.MaxStartingItems)
}

// What the contract says of single operations: a PUT that creates, a JSON Patch, an item that a read
// shows, and an order in which those without a value come first.
func TestOperationsAsTheContractHasThem(t *testing.T) {
	shown := `get: { operationId: read, responses: { "200": { description: "", content: { application/json: { schema: ` + one("Berth")
	require.Contains(t, berths, shown)
	paths := strings.Replace(berths, shown, shown+`, example: { number: N1, pier: north, state: free }`, 1)
	at := strings.Index(paths, "operationId: replace")
	paths = paths[:at] + strings.Replace(paths[at:], `responses: { "200"`, `responses: { "201": { description: "" }, "200"`, 1)
	h := &harbour{t: t, plan: Find(operations(t, paths, berth), nil, spec.Memory{})}
	assert.Equal(t, "north", h.call("read", "N1", "", "").Item.Value.Get("pier").Text, "the example of a read is there from the beginning")

	made := h.call("replace", "N2", `{"pier": "south", "length": 9}`, "")
	assert.True(t, made.Created)
	assert.Equal(t, "N2", made.Key)
	assert.False(t, h.call("replace", "N2", `{"pier": "south", "length": 10}`, "").Created, "it is there")
	assert.Equal(t, Missing, h.call("change", "N3", `{"pier": "south"}`, "").Result, "only what says 201 creates")

	patched := h.call("change", "N2", `[{"op": "test", "path": "/pier", "value": "south"}, {"op": "replace", "path": "/pier", "value": "west"}]`, "")
	assert.Equal(t, "west", patched.Item.Value.Get("pier").Text)
	failed := h.call("change", "N2", `[{"op": "replace", "path": "/pier", "value": "east"}, {"op": "test", "path": "/pier", "value": "south"}]`, "")
	assert.Equal(t, Invalid, failed.Result)
	assert.Equal(t, "west", h.call("read", "N2", "", "").Item.Value.Get("pier").Text, "a patch that fails changes nothing")

	h.call("replace", "N3", `{"pier": "x", "length": 9}`, "")
	for query, want := range map[string]string{"sort=length": "N1 N3 N2", "sort=-length": "N2 N3 N1"} {
		keys := []string{}
		for _, item := range h.call("list", "", "", query).Items {
			keys = append(keys, item.Key)
		}
		assert.Equal(t, want, strings.Join(keys, " "), query)
	}
}
