package control

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"unicode"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

func wantsYAML(c *gin.Context) bool { return strings.Contains(c.GetHeader("Accept"), "yaml") }

// respond writes view as JSON, or, for callers that ask for YAML, document:
// what can be put back as it is.
func (s *server) respond(c *gin.Context, status int, view, document any) {
	if !wantsYAML(c) {
		c.PureJSON(status, view)
		return
	}
	n, err := documentTree(document)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	text, err := n.YAML()
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Data(status, "application/yaml", text)
}

// documentTree is a document as people would write it.
func documentTree(document any) (*tree.Node, error) {
	switch d := document.(type) {
	case tagged:
		return d.tree()
	case []tagged:
		list := tree.NewList()
		for _, item := range d {
			n, err := item.tree()
			if err != nil {
				return nil, err
			}
			list.Items = append(list.Items, n)
		}
		return list, nil
	case spec.Mapping:
		return d.Document(), nil
	case *spec.Mapping:
		return d.Document(), nil
	default:
		return tree.From(document)
	}
}

func readBody(c *gin.Context) ([]byte, error) {
	if held, ok := c.Request.Body.(*heldBody); ok {
		return held.text, nil
	}
	return io.ReadAll(c.Request.Body)
}

// heldBody is a body that is in memory already. Nobody changes its text.
type heldBody struct {
	bytes.Reader
	text []byte
}

// Close implements io.Closer.
func (*heldBody) Close() error { return nil }

// holdBody gives a request another body.
func holdBody(c *gin.Context, text []byte) {
	held := &heldBody{text: text}
	held.Reset(text)
	c.Request.Body = held
}

// readDocument reads the body of a request that cannot do without one.
func readDocument(c *gin.Context) ([]byte, error) {
	text, err := readBody(c)
	if err == nil && len(text) == 0 {
		err = errNoBody
	}
	return text, err
}

var errNoBody = problem.New(problem.Invalid, "the request has no body, so there is nothing to read")

// readFields reads a request's body, in JSON or YAML, in which unknown keys are faults. No
// body leaves into as it is.
func readFields(c *gin.Context, into any, what string) error {
	text, err := readBody(c)
	if err != nil || len(text) == 0 {
		return err
	}
	return decode(text, into, what)
}

func decode(text []byte, into any, what string) error {
	n, err := tree.Parse(text)
	if err != nil {
		return spec.SyntaxProblem(err, "the body")
	}
	return problem.FromItems("the body cannot be used", tree.Decode(n, into, what))
}

// author tells edits who makes them: a name in UTF-8, percent-encoded.
func author(c *gin.Context) {
	name, err := url.PathUnescape(c.GetHeader("Rapid-Mimic-By"))
	if err != nil || len(name) > 100 || strings.ContainsFunc(name, unicode.IsControl) {
		writeProblem(c, problem.New(problem.Invalid, "Rapid-Mimic-By must be a name of at most 100 bytes, percent-encoded"), http.StatusUnprocessableEntity, nil)
		return
	}
	from, _, _ := net.SplitHostPort(c.Request.RemoteAddr) // whatever a header says
	ctx := catalog.Through(c.Request.Context(), throughWhat(c), from)
	ctx = catalog.Noted(ctx, func(version int64) { c.Header(entryHeader, catalog.EntryID(version)) })
	if token := holder(c).Name; token != "" && name != "" && name != token {
		name = token + " (" + name + ")" // a name that is only said adds to who it is
	} else if token != "" {
		name = token
	}
	if name != "" {
		ctx = catalog.By(ctx, name)
	}
	c.Request = c.Request.WithContext(ctx)
	if isOn(c, "confirm") {
		c.Request = c.Request.WithContext(catalog.Confirmed(c.Request.Context()))
	}
}

// patched applies the request's patch to a document: a JSON Merge Patch
// (RFC 7396), or a JSON Patch (RFC 6902) when its media type says so.
func patched(c *gin.Context, document any) ([]byte, error) {
	patch, err := readDocument(c)
	if err != nil {
		return nil, err
	}
	original, err := json.Marshal(document)
	if err != nil {
		return nil, err
	}
	n, err := tree.Parse(patch)
	if err != nil {
		return nil, spec.SyntaxProblem(err, "the patch")
	}
	patch = n.AppendJSON(nil)
	apply := tree.MergePatch
	if c.ContentType() == "application/json-patch+json" {
		apply = tree.Patch
	}
	changed, err := apply(original, patch)
	if err != nil {
		return nil, problem.New(problem.Invalid, "the patch does not apply: %v", err)
	}
	return changed, nil
}

// patchedAs is a document of a name as the request's patch makes it.
func patchedAs[T any](c *gin.Context, document any, name string, read func([]byte, string) (spec.Given[T], error)) (given spec.Given[T], err error) {
	text, err := patched(c, document)
	if err != nil {
		return given, err
	}
	given, err = read(text, name)
	return given, withoutLines(err)
}

// withoutLines takes lines and columns out of an error: those of a document
// that was patched here mean nothing to the caller, the JSON Pointers do.
func withoutLines(err error) error {
	var p *problem.Error
	if errors.As(err, &p) {
		for i := range p.Items {
			p.Items[i].Line, p.Items[i].Col = 0, 0
		}
	}
	return err
}

func created(isNew bool) int {
	if isNew {
		return http.StatusCreated
	}
	return http.StatusOK
}
