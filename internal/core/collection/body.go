package collection

import (
	"slices"
	"strconv"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// Body is the body of the answer of an operation: what its contract would send, with the items
// of an outcome in their place. built may be nil.
func (r *Role) Body(out *Outcome, built *tree.Node) *tree.Node {
	if r.Verb == List {
		items := make([]*tree.Node, len(out.Items))
		for i, item := range out.Items {
			items[i] = item.Value
		}
		if len(r.within) == 0 {
			return tree.NewList(items...)
		}
		whole := at(built, r.within, tree.NewList(items...))
		return counted(whole, out, len(r.within), r.answers)
	}
	own := built.Path(r.within...)
	switch {
	case out.Item == nil:
		return built
	case r.whole || len(r.within) > 0 && !r.message || own == nil || own.Kind != tree.Map:
		return at(built, r.within, out.Item.Value)
	default: // an answer of its own, such as {"id": 7, "state": "kept"}
		return at(built, r.within, r.receipt(out, own))
	}
}

// doneNames are names of what says that a call did what it was for, as plain spells them.
var doneNames = []string{"success", "successful", "succeeded", "ok", "done", "accepted", "created", "added", "changed", "updated", "saved", "deleted", "removed", "cancelled", "canceled", "result", "return"}

// receipt is an answer that is not the item, with what it has in common with it. What says that
// all went well is true, and the one thing that is told of a new item is its key.
func (r *Role) receipt(out *Outcome, answer *tree.Node) *tree.Node {
	single := len(answer.Members) == 1
	for _, m := range answer.Members {
		own := out.Item.Value.Get(m.Key)
		switch {
		case m.Value.Kind == tree.Map && own == nil && r.message: // which may name the item again
			answer = with(answer, m.Key, r.receipt(out, m.Value))
		case m.Key == out.Collection.Key:
			answer = with(answer, m.Key, out.Collection.KeyNode(out.Item.Key))
		case own != nil:
			answer = with(answer, m.Key, own)
		case m.Value.Kind == tree.Bool && (single || slices.Contains(doneNames, plain(m.Key))):
			answer = with(answer, m.Key, tree.NewBool(true))
		case single && r.Verb == Create && (m.Value.Kind == tree.String || m.Value.Kind == tree.Number):
			answer = with(answer, m.Key, out.Collection.KeyNode(out.Item.Key))
		}
	}
	return answer
}

// Fills reports whether items take the whole body of an answer, so that nothing else of it is
// sent.
func (r *Role) Fills() bool { return len(r.within) == 0 && (r.Verb == List || r.whole) }

// at is a document with a value at the end of a path; what is not there is made.
func at(n *tree.Node, path []string, value *tree.Node) *tree.Node {
	if len(path) == 0 {
		return value
	}
	if n == nil || n.Kind != tree.Map {
		n = tree.NewMap()
	}
	return with(n, path[0], at(n.Get(path[0]), path[1:], value))
}

// The names of fields that tell of a list, as plain spells them.
var (
	totalNames = []string{"total", "totalcount", "totalitems", "totalelements", "totalresults", "totalrecords", "count", "totalsize", "totalhits", "numfound", "recordcount", "itemcount", "found", "hits"}
	moreNames  = []string{"hasmore", "more", "hasnext", "hasnextpage"}
	lastNames  = []string{"last", "islast", "lastpage"}
	nextNames  = []string{"next", "nextcursor", "nextpagetoken", "nexttoken", "cursor", "after", "nextpage", "continuationtoken", "endcursor"}
	pagesNames = []string{"totalpages", "pagecount", "pages", "lastpage", "numpages"}
	firstNames = []string{"first", "isfirst", "firstpage"}
	heldNames  = []string{"numberofelements", "numberofitems"}
)

// counted gives the fields beside a list, and those in objects beside it, the numbers of the
// list; a cursor to no next page is left out, or null.
func counted(n *tree.Node, out *Outcome, depth int, schema *contract.Schema) *tree.Node {
	var properties []contract.Property
	if schema != nil {
		properties = schema.Properties()
	}
	// beside totals such words tell of the page, and nowhere else
	ofPage := slices.ContainsFunc(properties, func(p contract.Property) bool {
		return slices.Contains(totalNames, plain(p.Name)) || slices.Contains(pagesNames, plain(p.Name))
	})
	for _, p := range properties {
		have, name := n.Get(p.Name), plain(p.Name)
		types := p.Schema.Types()
		number, flag := slices.Contains(types, "integer") || slices.Contains(types, "number"), slices.Contains(types, "boolean")
		set := func(value int) { n = with(n, p.Name, tree.NewNumber(strconv.Itoa(value))) }
		switch {
		case have != nil && have.Kind == tree.List:
		case len(p.Schema.Properties()) > 0 && have != nil && depth > 0:
			n = with(n, p.Name, counted(have, out, depth-1, p.Schema))
		case number && slices.Contains(totalNames, name):
			set(out.Found)
		case number && slices.Contains(pagesNames, name):
			set(pages(out))
		case number && slices.Contains(pageNames, name):
			set(out.Page.Number)
		case number && slices.Contains(offsetNames, name):
			set(out.Page.Offset)
		case number && slices.Contains(limitNames, name):
			set(max(out.Page.Size, len(out.Items)))
		case number && ofPage && name == "number":
			set(out.Page.Number)
		case number && ofPage && slices.Contains(heldNames, name):
			set(len(out.Items))
		case flag && ofPage && slices.Contains(firstNames, name):
			n = with(n, p.Name, tree.NewBool(out.Page.Offset == 0))
		case flag && ofPage && name == "empty":
			n = with(n, p.Name, tree.NewBool(len(out.Items) == 0))
		case flag && slices.Contains(moreNames, name):
			n = with(n, p.Name, tree.NewBool(out.Page.Next != ""))
		case flag && slices.Contains(lastNames, name):
			n = with(n, p.Name, tree.NewBool(out.Page.Next == ""))
		case slices.Contains(nextNames, name) && slices.Contains(types, "string"):
			n = withNext(n, p, out, types)
		}
	}
	return n
}

func withNext(n *tree.Node, p contract.Property, out *Outcome, types []string) *tree.Node {
	switch {
	case out.Page.Next != "":
		return with(n, p.Name, tree.NewString(out.Page.Next))
	case slices.Contains(types, "null"):
		return with(n, p.Name, &tree.Node{Kind: tree.Null, Text: "null"})
	case p.Required:
		return with(n, p.Name, tree.NewString(""))
	default:
		return tree.NewMap(slices.DeleteFunc(slices.Clone(n.Entries()), func(m tree.Member) bool { return m.Key == p.Name })...)
	}
}

func pages(out *Outcome) int {
	if out.Page.Size == 0 {
		return 1
	}
	return (out.Found + out.Page.Size - 1) / out.Page.Size
}
