package control

import (
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// queryParameters are what each operation of the API document takes in its query: the
// schema of each, by "GET /api/v1/services" and name.
var queryParameters = sync.OnceValue(func() map[string]map[string]*tree.Node {
	document, err := tree.Parse(openAPI)
	if err != nil {
		panic(err) // a test reads it, too
	}
	all := make(map[string]map[string]*tree.Node)
	for _, path := range document.Get("paths").Members {
		for _, operation := range path.Value.Members {
			taken := make(map[string]*tree.Node)
			for _, p := range slices.Concat(path.Value.Get("parameters").Elements(), operation.Value.Get("parameters").Elements()) {
				if ref := p.Get("$ref").Str(); ref != "" {
					p = document.At(strings.TrimPrefix(ref, "#"))
				}
				if p.Get("in").Str() == "query" {
					taken[p.Get("name").Str()] = p.Get("schema")
				}
			}
			all[strings.ToUpper(operation.Key)+" "+path.Key] = taken
		}
	}
	return all
})

// checkQuery refuses query parameters that an operation does not take, and values that
// are not what the API document says: a slip of the pen must not widen what is changed.
func (s *server) checkQuery(method, template string) gin.HandlerFunc {
	return func(c *gin.Context) {
		if c.Request.URL.RawQuery == "" {
			return
		}
		taken := queryParameters()[method+" "+template]
		for name, values := range c.Request.URL.Query() {
			if err := checkParameter(taken, name, values); err != nil {
				s.fail(c, err, nil)
				return
			}
		}
	}
}

func checkParameter(taken map[string]*tree.Node, name string, values []string) error {
	schema, known := taken[name]
	if !known {
		return unknownParameter(taken, name)
	}
	kind := schema.Get("type").Str()
	if kind != "array" && len(values) > 1 {
		return problem.New(problem.Invalid, "the query parameter %q is given %d times, and means one thing", name, len(values))
	}
	if kind == "array" {
		schema = schema.Get("items")
	}
	for _, value := range values {
		if wanted := wantedInstead(schema, value); wanted != "" {
			return problem.New(problem.Invalid, "the query parameter %q must be %s, not %q", name, wanted, value)
		}
	}
	return nil
}

func unknownParameter(taken map[string]*tree.Node, name string) error {
	names := make([]string, 0, len(taken))
	for known := range taken {
		names = append(names, known)
	}
	slices.Sort(names)
	if len(names) == 0 {
		return problem.New(problem.Invalid, "unknown query parameter %q: this call takes none", name)
	}
	return problem.New(problem.Invalid, "unknown query parameter %q (%s)", name, problem.Suggest(name, names, "this call takes"))
}

// wantedInstead says what a value must be; "" where it is right. A parameter without a
// value is one that is left out, or for a switch one that is on.
func wantedInstead(schema *tree.Node, value string) string {
	if value == "" {
		return ""
	}
	switch schema.Get("type").Str() {
	case "boolean":
		if value != "true" && value != "false" {
			return "true or false"
		}
	case "integer":
		if _, err := strconv.ParseInt(value, 10, 64); err != nil {
			return "a whole number"
		}
	}
	var allowed []string
	for _, n := range schema.Get("enum").Elements() {
		allowed = append(allowed, n.Text)
	}
	if len(allowed) > 0 && !slices.Contains(allowed, value) {
		return "one of " + strings.Join(allowed, ", ")
	}
	return ""
}

// isOn reports whether a switch of the query is on: ?all=true, or ?all.
func isOn(c *gin.Context, name string) bool {
	value, given := c.GetQuery(name)
	return given && value != "false"
}

// durationOf reads a time span: 30d, or as Go writes durations.
func durationOf(text string) (time.Duration, error) {
	if days, is := strings.CutSuffix(text, "d"); is {
		if n, err := strconv.Atoi(days); err == nil && n < 100_000 { // more would be no duration any longer
			return time.Duration(n) * 24 * time.Hour, nil
		}
	}
	return time.ParseDuration(text)
}
