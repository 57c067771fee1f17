package collection

import (
	"encoding/base64"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// The names of parameters whose meaning is plain, as plain spells them.
var (
	limitNames  = []string{"limit", "pagesize", "perpage", "size", "max", "maxresults", "maxitems", "count", "top", "take", "first", "pagelimit"}
	offsetNames = []string{"offset", "skip", "start", "startat", "startindex", "from", "pageoffset"}
	pageNames   = []string{"page", "pagenumber", "pageno", "pagenum", "p", "pageindex"}
	cursorNames = []string{"cursor", "after", "pagetoken", "nexttoken", "continuationtoken", "continue", "startingafter", "nextcursor", "marker", "token"}
	sortNames   = []string{"sort", "sortby", "orderby", "sortfield", "order"}
	orderNames  = []string{"order", "sortorder", "direction", "sortdir", "sortdirection", "orderdirection", "dir"}
	searchNames = []string{"q", "query", "search", "term", "text", "keyword", "searchterm", "contains"}
)

// Page is which part of a list was asked for.
type Page struct {
	// Size is how many items at most, 0 for all; Offset how many are before them. Number is the
	// page as it was asked for, counted from First.
	Size, Offset, Number, First int
	// Next is the cursor of the next page; "" on the last.
	Next string
}

// list finds the items that a call asks for. Parameters that the contract does not declare, or
// whose meaning is not plain, change nothing.
func (out *Outcome) list(call *Call, all []*Item) {
	c, role := call.Role.Collection, call.Role
	found := make([]*Item, 0, len(all))
	tests := c.tests(call)
	for _, item := range all {
		if c.fits(item, role, call.Params) && !slices.ContainsFunc(tests, func(fits func(*tree.Node) bool) bool { return !fits(item.Value) }) {
			found = append(found, item)
		}
	}
	c.sort(found, call)
	out.Found, out.Left = len(found), len(all)
	out.Page = pageOf(call, len(found))
	found = found[min(out.Page.Offset, len(found)):]
	if out.Page.Size > 0 && len(found) > out.Page.Size {
		found = found[:out.Page.Size]
		out.Page.Next = cursorTo(out.Page.Offset + out.Page.Size)
	}
	out.Items = found
}

// asked is the value of the parameter whose name is one of some, as it was sent or as the
// contract has it by default; "" for none.
func asked(call *Call, names []string) (p *contract.Parameter, text string) {
	for _, name := range names {
		for _, p := range call.Role.queries {
			if plain(p.Name) == name {
				if text = call.Query.Get(p.Name); text == "" {
					text = defaultOf(p)
				}
				return p, text
			}
		}
	}
	return nil, ""
}

func defaultOf(p *contract.Parameter) string {
	if p.Schema == nil {
		return ""
	}
	return scalarText(p.Schema.Resolved().Get("default"))
}

// tests are what the query demands of an item: fields of the same names, and a text in it.
func (c *Collection) tests(call *Call) (tests []func(*tree.Node) bool) {
	for _, p := range call.Role.queries {
		values := valuesOf(call.Query, p)
		if len(values) == 0 {
			continue
		}
		field, known := c.field(p.Name)
		if !known || slices.Contains(limitNames, plain(p.Name)) && field == "" {
			continue
		}
		tests = append(tests, func(item *tree.Node) bool {
			have := item.Get(field)
			if have != nil && have.Kind == tree.List {
				return slices.ContainsFunc(have.Items, func(n *tree.Node) bool { return slices.Contains(values, n.Text) })
			}
			return have != nil && slices.Contains(values, have.Text)
		})
	}
	if p, text := asked(call, searchNames); p != nil && text != "" {
		if _, isField := c.field(p.Name); !isField {
			text = strings.ToLower(text)
			tests = append(tests, func(item *tree.Node) bool { return holds(item, text) })
		}
	}
	return tests
}

// field is the property that a parameter filters by.
func (c *Collection) field(param string) (name string, ok bool) {
	for _, p := range c.properties {
		if plain(p.Name) == plain(param) && !slices.Contains(p.Schema.Types(), "object") {
			return p.Name, true
		}
	}
	return "", false
}

// valuesOf are the values of a parameter; any of them fits.
func valuesOf(query url.Values, p *contract.Parameter) (values []string) {
	for _, text := range append(slices.Clone(query[p.Name]), query[p.Name+"[]"]...) {
		if p.Schema != nil && slices.Contains(p.Schema.Types(), "array") {
			values = append(values, strings.Split(text, ",")...)
		} else if text != "" {
			values = append(values, text)
		}
	}
	return values
}

// holds reports whether a text, in small letters, stands in a document.
func holds(n *tree.Node, text string) bool {
	switch n.Kind {
	case tree.Map:
		return slices.ContainsFunc(n.Members, func(m tree.Member) bool { return holds(m.Value, text) })
	case tree.List:
		return slices.ContainsFunc(n.Items, func(i *tree.Node) bool { return holds(i, text) })
	default:
		return strings.Contains(strings.ToLower(n.Text), text)
	}
}

// sort orders items by the fields that a call names: name, -name, name:desc, several with commas.
func (c *Collection) sort(items []*Item, call *Call) {
	p, text := asked(call, sortNames)
	if p == nil || text == "" {
		return
	}
	down := false
	if o, order := asked(call, orderNames); o != nil && o != p {
		down = strings.HasPrefix(strings.ToLower(order), "d")
	}
	type by struct {
		field string
		down  bool
	}
	var fields []by
	for _, one := range strings.Split(text, ",") {
		one = strings.TrimSpace(one)
		name, minus := strings.CutPrefix(one, "-")
		name = strings.TrimPrefix(name, "+")
		name, word, _ := strings.Cut(strings.ReplaceAll(name, " ", ":"), ":")
		if word == "" {
			name, word, _ = cutWord(name)
		}
		field, known := c.field(name)
		if !known {
			switch strings.ToLower(one) { // sort=desc orders by the key
			case "asc", "desc":
				field, known, word = c.Key, c.Key != "", one
			}
		}
		if known {
			fields = append(fields, by{field, down || minus || strings.HasPrefix(strings.ToLower(word), "d")})
		}
	}
	type row struct {
		item   *Item
		values []*tree.Node
	}
	rows := make([]row, len(items))
	for i, item := range items {
		rows[i] = row{item, make([]*tree.Node, len(fields))}
		for j, f := range fields {
			rows[i].values[j] = item.Value.Get(f.field)
		}
	}
	slices.SortStableFunc(rows, func(a, b row) int {
		for i, f := range fields {
			order := compare(a.values[i], b.values[i])
			if f.down {
				order = -order
			}
			if order != 0 {
				return order
			}
		}
		return 0
	})
	for i := range rows {
		items[i] = rows[i].item
	}
}

// cutWord takes _asc and _desc off a name.
func cutWord(name string) (field, word string, ok bool) {
	for _, word := range []string{"_desc", "_asc"} {
		if field, is := strings.CutSuffix(name, word); is {
			return field, word[1:], true
		}
	}
	return name, "", false
}

// compare orders values: none before all, numbers by their size, the rest as text.
func compare(a, b *tree.Node) int {
	switch {
	case a == nil || b == nil:
		return boolToInt(a != nil) - boolToInt(b != nil)
	case a.Kind == tree.Number && b.Kind == tree.Number:
		return tree.CompareNumbers(a.Text, b.Text)
	default:
		return strings.Compare(a.Text, b.Text)
	}
}

func boolToInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

// pageOf is the page that a call asks for, of a list of so many.
func pageOf(call *Call, found int) (page Page) {
	if p, text := asked(call, limitNames); p != nil {
		if _, isField := call.Role.Collection.field(p.Name); !isField {
			page.Size, _ = strconv.Atoi(text)
		}
	}
	page.Size = max(0, page.Size)
	page.First = 1
	if p, text := asked(call, pageNames); p != nil && p.Schema != nil {
		if least := p.Schema.Resolved().Get("minimum"); defaultOf(p) == "0" || least != nil && least.Text == "0" {
			page.First = 0
		}
		page.Number = page.First
		if n, err := strconv.Atoi(text); err == nil && n >= page.First {
			page.Number = n
		}
		if page.Size > 0 && page.Number-page.First <= found/page.Size {
			page.Offset = (page.Number - page.First) * page.Size
		} else if page.Number > page.First {
			page.Offset = found // beyond the last
		}
		return page
	}
	if p, text := asked(call, offsetNames); p != nil && text != "" {
		if _, isField := call.Role.Collection.field(p.Name); !isField {
			if n, err := strconv.Atoi(text); err == nil && n >= 0 {
				page.Offset = min(n, found)
			}
		}
	}
	if p, text := asked(call, cursorNames); p != nil && text != "" {
		if n, ok := fromCursor(text); ok { // any other is none of ours
			page.Offset = min(n, found)
		}
	}
	return page
}

// cursorTo is where a page begins, in a form that asks nobody to count.
func cursorTo(offset int) string {
	return base64.RawURLEncoding.EncodeToString([]byte("from " + strconv.Itoa(offset)))
}

func fromCursor(text string) (offset int, ok bool) {
	raw, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil {
		return 0, false
	}
	digits, is := strings.CutPrefix(string(raw), "from ")
	n, err := strconv.Atoi(digits)
	return n, is && err == nil && n >= 0
}
