package openapi

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// readRequest reads what an operation takes: the parameters of its path and
// its own, which win, and its body.
func (r *reader) readRequest(op *contract.Operation, item *tree.Node, itemAt string, n *tree.Node, at string) {
	r.readParameters(op, n.Get("parameters"), at+"/parameters")
	r.readParameters(op, item.Get("parameters"), itemAt+"/parameters")
	r.readSecurity(op, n)
	body := n.Get("requestBody")
	if body == nil {
		return
	}
	body, bodyAt, err := r.follow(body, at+"/requestBody")
	if err != nil {
		r.warn(n.Get("requestBody"), at+"/requestBody", "%v", err)
		return
	}
	op.Body = &contract.Body{Required: body.Get("required").IsTrue()}
	content := body.Get("content")
	if content == nil {
		return
	}
	for _, m := range content.Members {
		mediaType := &contract.MediaType{Name: sample.OfRange(m.Key), Written: m.Key}
		mediaAt := tree.Join(bodyAt+"/content", m.Key)
		if m.Value.Get("schema") != nil {
			mediaType.Schema = r.document.RequestSchema(mediaAt + "/schema")
		}
		if m.Value.Get("itemSchema") != nil {
			mediaType.Item = r.document.RequestSchema(mediaAt + "/itemSchema")
		}
		mediaType.Encoding = readEncoding(m.Value.Get("encoding"))
		r.readExamples(mediaType, m.Value, mediaAt)
		op.Body.MediaTypes = append(op.Body.MediaTypes, mediaType)
	}
}

// readEncoding reads how the properties of a form are written.
func readEncoding(n *tree.Node) map[string]contract.Encoding {
	all := make(map[string]contract.Encoding)
	for _, m := range n.Entries() {
		e := contract.Encoding{ContentType: m.Value.Get("contentType").Str()}
		e.Style, e.Explode = contract.StyleOf("query", m.Value.Get("style").Str(), explodeOf(m.Value))
		all[m.Key] = e
	}
	return all
}

// explodeOf is what is said of explode; nil for nothing.
func explodeOf(n *tree.Node) *bool {
	written := n.Get("explode")
	if written == nil {
		return nil
	}
	value := written.IsTrue()
	return &value
}

// schemes are the security schemes of the contract, in OpenAPI 3 or in Swagger 2.0.
func (r *reader) schemes() *tree.Node {
	if schemes := r.root.Get("components").Get("securitySchemes"); schemes != nil {
		return schemes
	}
	return r.root.Get("securityDefinitions")
}

// credential reads one of the security schemes; ok is false for what is none.
func (r *reader) credential(name string) (c contract.Credential, ok bool) {
	scheme, _, err := r.follow(r.schemes().Get(name), "")
	if err != nil {
		return c, false
	}
	return contract.CredentialOf(scheme)
}

// readKeys reads where callers may give API keys.
func (r *reader) readKeys() {
	for _, m := range r.schemes().Entries() {
		if c, ok := r.credential(m.Key); ok && c.Kind == "apiKey" {
			r.contract.Keys = append(r.contract.Keys, call.Key{In: c.In, Name: c.Name})
		}
	}
}

// readSecurity reads which credentials an operation demands: its own word on that goes before that of
// the contract. An empty alternative demands none.
func (r *reader) readSecurity(op *contract.Operation, n *tree.Node) {
	demands := n.Get("security")
	if demands == nil {
		demands = r.root.Get("security")
	}
	for _, alternative := range demands.Elements() {
		var together []contract.Credential
		for _, m := range alternative.Entries() {
			if c, ok := r.credential(m.Key); ok {
				together = append(together, c)
			}
		}
		if len(together) < max(1, len(alternative.Entries())) {
			op.Security = nil // it demands nothing, or something that nobody knows
			return
		}
		op.Security = append(op.Security, together)
	}
}

func (r *reader) readParameters(op *contract.Operation, list *tree.Node, at string) {
	if list == nil {
		return
	}
	for i, item := range list.Items {
		n, paramAt, err := r.follow(item, at+"/"+strconv.Itoa(i))
		if err != nil {
			r.warn(item, at+"/"+strconv.Itoa(i), "%v", err)
			continue
		}
		p := &contract.Parameter{Name: n.Get("name").Str(), In: n.Get("in").Str(), Required: n.Get("required").IsTrue(),
			Description: n.Get("description").Str(), Deprecated: n.Get("deprecated").IsTrue(), Example: r.headerExample(n)}
		if p.In == "body" || p.In == "formData" || p.Name == "" || hasParameter(op, p) || p.In == "path" && !r.inPath(op, p, n, paramAt) {
			continue
		}
		p.Style, p.Explode = contract.StyleOf(p.In, n.Get("style").Str(), explodeOf(n))
		switch {
		case n.Get("schema") != nil:
			p.Schema = r.document.RequestSchema(paramAt + "/schema")
		case n.Get("type") != nil: // Swagger 2.0 writes the schema into the parameter
			p.Schema = r.document.RequestSchema(paramAt)
			format := n.Get("collectionFormat").Str()
			p.Style, p.Explode = cmp.Or(contract.ListStyles[format], p.Style), format == "multi"
		case len(n.Get("content").Entries()) > 0:
			m := n.Get("content").Entries()[0]
			p.Content = sample.OfRange(m.Key)
			if m.Value.Get("schema") != nil {
				p.Schema = r.document.RequestSchema(tree.Join(paramAt+"/content", m.Key) + "/schema")
			}
		}
		op.Parameters = append(op.Parameters, p)
	}
}

// inPath reports whether the path of an operation has a parameter, and gives it the name that it has there
// where only the case differs.
func (r *reader) inPath(op *contract.Operation, p *contract.Parameter, n *tree.Node, at string) bool {
	names := op.Template.Names()
	if slices.Contains(names, p.Name) || op.Template.String() == "" { // a callback's address is an expression
		return true
	}
	i := slices.IndexFunc(names, func(name string) bool { return strings.EqualFold(name, p.Name) })
	if i < 0 {
		r.warn(n, at, "parameter %q is not in the path %s; it is left out", p.Name, op.Template)
		return false
	}
	r.warn(n, at, "parameter %q is %q in the path %s, and is called so", p.Name, names[i], op.Template)
	p.Name = names[i]
	return !hasParameter(op, p)
}

func hasParameter(op *contract.Operation, p *contract.Parameter) bool {
	for _, have := range op.Parameters {
		if have.Name == p.Name && have.In == p.In {
			return true
		}
	}
	return false
}
