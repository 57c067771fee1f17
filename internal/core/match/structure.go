package match

import (
	"fmt"
	"hash/maphash"
	"math/bits"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/jsonpath"
	"rapidmimic.example/spec/tree"
)

// byStructure compares objects and lists, and says where they differ. Places in except,
// paths into the value, do not count.
func (c *condition) byStructure(want *tree.Node, except []string) error {
	var paths []*jsonpath.Path
	for _, text := range except {
		path, err := jsonpath.Compile(text)
		if err != nil {
			return fmt.Errorf("except %q is not a JSONPath such as $.sent: %w", text, err)
		}
		paths = append(paths, path)
	}
	compare := func(v *tree.Node) (place string, have, expected *tree.Node) {
		return difference{excepted(paths, v, want)}.find("$", v, want)
	}
	c.test = oneHolds(shown(want), func(v *tree.Node) bool { place, _, _ := compare(v); return place == "" })
	subject, values := c.subject, c.values
	key := fingerprint(want, excepted(paths, want))
	c.lens, c.equals = "value except "+strings.Join(except, ",")+" of ", &key
	c.keys = func(f *Facts) []*tree.Node {
		return f.once(c.lens+subject, func() (keys []*tree.Node) {
			for _, v := range values(f) {
				keys = append(keys, tree.NewString(fingerprint(v, excepted(paths, v))))
			}
			return keys
		})
	}
	c.within = func(v *tree.Node) *call.Finding {
		place, have, expected := compare(v)
		unmet := &call.Finding{Code: call.Differs, Part: subject}
		if place != "$" {
			unmet.Part = "body " + place
		}
		switch {
		case have == nil:
			unmet.Code, unmet.Expected = call.Absent, shown(expected)
		case expected == nil:
			unmet.Code, unmet.Seen, unmet.Expected = call.TooMany, seen(have), "none"
		default:
			unmet.Seen, unmet.Expected = seen(have), shown(expected)
		}
		return unmet
	}
	return nil
}

// excepted are the nodes of values that do not count.
func excepted(paths []*jsonpath.Path, values ...*tree.Node) map[*tree.Node]bool {
	if len(paths) == 0 {
		return nil
	}
	except := make(map[*tree.Node]bool)
	for _, path := range paths {
		for _, root := range values {
			found, _ := path.Find(root, nil) // the value was bounded when it was read
			for _, n := range found {
				except[n] = true
			}
		}
	}
	return except
}

// fingerprint is equal for values that are equal save for what does not count. The index
// knows mappings by it, so that one of many bodies is found without comparing all.
func fingerprint(n *tree.Node, except map[*tree.Node]bool) string {
	return strconv.FormatUint(printOf(n, except), 36)
}

func printOf(n *tree.Node, except map[*tree.Node]bool) uint64 {
	print := uint64(n.Kind)
	switch n.Kind {
	case tree.Map: // whose order does not count
		for _, m := range n.Members {
			if !except[m.Value] {
				print += maphash.String(hashSeed, m.Key) ^ bits.RotateLeft64(printOf(m.Value, except), 17)
			}
		}
	case tree.List:
		for _, item := range n.Items {
			if print = print*31 + 1; !except[item] {
				print += printOf(item, except)
			}
		}
	case tree.Number:
		print += maphash.String(hashSeed, tree.CanonicalNumber(n.Text))
	default:
		print += maphash.String(hashSeed, n.Text)
	}
	return print
}

// difference finds the first place in which two values differ.
type difference struct {
	except map[*tree.Node]bool // of either value: what stands there does not count
}

// find gives the path of the place, "" for none, and what stands there; nil where there
// is nothing.
func (d difference) find(path string, v, want *tree.Node) (place string, have, expected *tree.Node) {
	switch {
	case d.except[v] || d.except[want]:
		return "", nil, nil
	case v.Kind == tree.Map && want.Kind == tree.Map:
		return d.inMaps(path, v, want)
	case v.Kind == tree.List && want.Kind == tree.List:
		for i := range max(len(v.Items), len(want.Items)) {
			here := path + "[" + strconv.Itoa(i) + "]"
			switch {
			case i >= len(v.Items):
				return here, nil, want.Items[i]
			case i >= len(want.Items):
				return here, v.Items[i], nil
			}
			if place, have, expected = d.find(here, v.Items[i], want.Items[i]); place != "" {
				return place, have, expected
			}
		}
		return "", nil, nil
	case tree.Equal(v, want):
		return "", nil, nil
	default:
		return path, v, want
	}
}

func (d difference) inMaps(path string, v, want *tree.Node) (place string, have, expected *tree.Node) {
	there := make(map[string]*tree.Node, len(v.Members))
	for _, m := range v.Members {
		there[m.Key] = m.Value
	}
	for _, m := range want.Members {
		here, known := jsonpath.Child(path, m.Key), there[m.Key]
		delete(there, m.Key)
		switch {
		case d.except[m.Value]:
		case known == nil:
			return here, nil, m.Value
		default:
			if place, have, expected = d.find(here, known, m.Value); place != "" {
				return place, have, expected
			}
		}
	}
	for _, m := range v.Members {
		if there[m.Key] != nil && !d.except[m.Value] {
			return jsonpath.Child(path, m.Key), m.Value, nil
		}
	}
	return "", nil, nil
}
