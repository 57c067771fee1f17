// Package openapi reads OpenAPI 3.0, 3.1 and 3.2 and Swagger 2.0 documents into
// contracts.
//
// It works on the ordered tree of the document and serves what can be served:
// an operation that cannot answer is kept with the reason, a fault beside it
// becomes a warning. Only a document without a single usable operation is
// refused. Start with Read.
package openapi

import (
	"errors"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/rest"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Read makes a contract of the text of an OpenAPI document in JSON or YAML.
// The error is a *problem.Error with the places of all faults.
func Read(text []byte) (*contract.Contract, error) {
	return ReadBundle(&bundle.Bundle{Files: []bundle.File{{Text: text}}})
}

// ReadBundle makes a contract of an OpenAPI document and the files that it
// refers to.
func ReadBundle(b *bundle.Bundle) (*contract.Contract, error) {
	root, err := tree.ParseKept(b.Contract())
	if err != nil {
		return nil, inMain(spec.SyntaxProblem(err, "the contract"), b)
	}
	var faults []problem.Item
	if !b.Single() {
		if root, faults, err = overlaid(b, root); err != nil {
			return nil, err
		}
	}
	version, err := versionOf(root)
	if err != nil {
		return nil, inMain(err, b)
	}
	if !b.Single() {
		var more []problem.Item
		root, more = join(b, root)
		faults = append(faults, more...)
	}
	format := "OpenAPI " + version
	if version == "2.0" {
		format = "Swagger 2.0"
		root = fromSwagger(root)
	}
	r := &reader{root: root, files: b.Names(), ids: make(map[string]bool), nodes: make(map[*contract.Operation]*tree.Node), sources: make(map[*contract.Operation]*tree.Node)}
	upgrade := func(n *tree.Node) *tree.Node { return n }
	if version == "3.0" || version == "2.0" {
		upgrade = upgrade30
	}
	r.document = contract.NewDocument(root, upgrade)
	r.contract = &contract.Contract{
		Title:     root.Path("info", "title").Str(),
		Version:   scalarText(root.Path("info", "version")),
		Format:    format,
		BasePaths: basePaths(root),
		Servers:   servers(root),
		Files:     r.files,
		Warnings:  faults,
	}
	r.readTypes(version)
	if n, at := r.document.Exploding(); n != nil {
		return nil, inMain(&problem.Error{Code: problem.Invalid, Detail: "a schema of the contract cannot be used", Items: []problem.Item{{At: at, Line: int(n.Line), Col: int(n.Col),
			Detail: "the schemas that it is put together from (allOf, anyOf, oneOf) hold one another, and double until they are more than 100000"}}}, b)
	}
	r.tags = groups(root)
	r.readKeys()
	r.readSignIn()
	r.readWebhooks()
	if err := r.readPaths(); err != nil {
		return nil, inMain(err, b)
	}
	r.checkLinks()
	r.scan()
	r.nameMain(b.Main)
	r.contract.SetSource(r.document, r.sources)
	r.contract.Protocol = rest.New(r.contract)
	return r.contract, nil
}

// IsContract reports whether a document says of itself that it is an OpenAPI
// or Swagger contract.
func IsContract(text []byte) bool { return declares.Match(text) }

// declares fits the key that makes a document a contract, at the top in YAML
// or before anything nested in JSON.
var declares = regexp.MustCompile(`(?m)^["']?(openapi|swagger)["']?\s*:|^\s{1,8}"(openapi|swagger)"\s*:|\A\s*\{[^{}\[\]]*?"(openapi|swagger)"\s*:`)

// inMain puts faults that name no file into the contract's own.
func inMain(err error, b *bundle.Bundle) error {
	var p *problem.Error
	if errors.As(err, &p) {
		for i := range p.Items {
			if p.Items[i].File == "" {
				p.Items[i].File = b.Main
			}
		}
	}
	return err
}

// nameMain puts what is known of the contract into its file, where there are
// several.
func (r *reader) nameMain(main string) {
	for i := range r.contract.Warnings {
		if w := &r.contract.Warnings[i]; w.File == "" {
			w.File = main
		}
	}
	for _, op := range r.contract.Operations {
		if op.Skipped != nil && op.Skipped.File == "" {
			op.Skipped.File = main
		}
	}
}

func fault(n *tree.Node, at, format string, args ...any) problem.Item {
	item := problem.Item{Detail: fmt.Sprintf(format, args...)}
	item.File, item.At = inFile(at)
	if n != nil {
		item.Line, item.Col = int(n.Line), int(n.Col)
	}
	return item
}

func refuse(items ...problem.Item) error {
	return problem.FromItems("the contract cannot be used", items)
}

func versionOf(root *tree.Node) (string, error) {
	if root.Kind != tree.Map {
		return "", refuse(fault(root, "", "a contract is an object with the key openapi, not %s", root.Kind))
	}
	declared := root.Get("openapi")
	text := scalarText(declared)
	switch {
	case strings.HasPrefix(text, "3.0"):
		return "3.0", nil
	case strings.HasPrefix(text, "3.1"):
		return "3.1", nil
	case strings.HasPrefix(text, "3.2"):
		return "3.2", nil
	case declared != nil:
		return "", refuse(fault(declared, "/openapi", "openapi %q is not supported; 3.0, 3.1 and 3.2 are, and Swagger 2.0", text))
	case scalarText(root.Get("swagger")) == "2.0":
		return "2.0", nil
	case root.Get("swagger") != nil:
		return "", refuse(fault(root.Get("swagger"), "/swagger", "swagger %q is not supported; 2.0 is, and OpenAPI 3.0, 3.1 and 3.2", scalarText(root.Get("swagger"))))
	default:
		return "", refuse(fault(root, "", "the key openapi is missing, so this is not an OpenAPI document (for a sample or a JSON Schema, answers names its call: 'GET /berths')"))
	}
}

// scalarText is the text of a string or a number: version: 1.0 is written
// without quotes often enough.
func scalarText(n *tree.Node) string {
	if n == nil || n.Kind == tree.List || n.Kind == tree.Map {
		return ""
	}
	return n.Text
}

// mostAddresses bounds the addresses of one server, which its variables multiply.
const mostAddresses = 100

// basePaths are the paths of all servers: of the contract, of paths and of operations.
func basePaths(root *tree.Node) []string {
	var paths []string
	read := func(n *tree.Node) {
		for _, server := range n.Get("servers").Elements() {
			for _, address := range addressesOf(server) {
				u, err := url.Parse(address)
				if err != nil {
					continue
				}
				if path := "/" + strings.Trim(u.Path, "/"); path != "/" && !slices.Contains(paths, path) {
					paths = append(paths, path)
				}
			}
		}
	}
	read(root)
	for _, item := range root.Get("paths").Entries() {
		read(item.Value)
		for _, m := range item.Value.Entries() {
			if slices.Contains(methods, m.Key) {
				read(m.Value)
			}
		}
	}
	return paths
}

// addressesOf are the addresses of a server: with the defaults of its variables first, then with all
// that they are allowed to be.
func addressesOf(server *tree.Node) []string {
	all := []string{server.Get("url").Str()}
	for _, v := range server.Get("variables").Entries() {
		values := []string{scalarText(v.Value.Get("default"))}
		for _, value := range v.Value.Get("enum").Elements() {
			if text := scalarText(value); text != values[0] {
				values = append(values, text)
			}
		}
		var more []string
		for _, value := range values {
			for _, address := range all {
				if len(more) < mostAddresses {
					more = append(more, strings.ReplaceAll(address, "{"+v.Key+"}", value))
				}
			}
		}
		all = more
	}
	return all
}

type reader struct {
	root     *tree.Node
	files    []string // names; none for a single document
	document *contract.Document
	contract *contract.Contract
	ids      map[string]bool
	tags     map[string]*tree.Node
	links    []linkAt
	nodes    map[*contract.Operation]*tree.Node // as they stand in the document
	// sources are the operations as they were written, with the parameters of
	// their path.
	sources map[*contract.Operation]*tree.Node
}

func (r *reader) warn(n *tree.Node, at, format string, args ...any) {
	if len(r.contract.Warnings) < problem.MaxItems {
		r.contract.Warnings = append(r.contract.Warnings, fault(n, at, format, args...))
	}
}

// follow resolves a $ref of anything but a schema. at is the pointer of where
// the thing really stands.
func (r *reader) follow(n *tree.Node, at string) (*tree.Node, string, error) {
	for range 20 {
		ref := n.Get("$ref")
		if ref == nil {
			return n, at, nil
		}
		pointer, ok := r.document.Locate(ref.Str())
		target := r.root.At(pointer)
		if !ok || target == nil {
			return nil, "", errors.New(leads(ref.Str(), r.files))
		}
		n, at = target, pointer
	}
	return nil, "", fmt.Errorf("$ref %q leads in a circle", asWritten(n.Get("$ref").Str()))
}

// methods are the keys of a path that are operations; all other methods stand in additionalOperations.
var methods = []string{"get", "put", "post", "delete", "options", "head", "patch", "trace", "query"}

const otherMethods = "additionalOperations"

func (r *reader) readPaths() error {
	paths := r.root.Get("paths")
	if paths.Get("$ref") != nil {
		found, _, err := r.follow(paths, "/paths")
		if err != nil {
			return refuse(fault(paths, "/paths", "%v", err))
		}
		paths = found
	}
	if paths == nil || paths.Kind != tree.Map || len(paths.Members) == 0 {
		if len(r.contract.Webhooks) > 0 {
			return nil // it answers nothing, and calls others
		}
		return refuse(fault(cmpNode(paths, r.root), "/paths", "the contract has no paths, so there is nothing to answer"))
	}
	for _, p := range paths.Members {
		if strings.HasPrefix(p.Key, "x-") {
			continue
		}
		at := tree.Join("/paths", p.Key)
		item, itemAt, err := r.follow(p.Value, at)
		if err != nil {
			r.warn(p.Value, at, "%v", err)
			continue
		}
		if item.Kind != tree.Map {
			r.warn(item, at, "path %s must hold operations, not %s", p.Key, item.Kind)
			continue
		}
		for _, m := range item.Members {
			if slices.Contains(methods, m.Key) {
				r.readOperation(p, item, itemAt, m, tree.Join(itemAt, m.Key))
			}
		}
		for _, m := range item.Get(otherMethods).Entries() {
			r.readOperation(p, item, itemAt, m, tree.Join(itemAt+"/"+otherMethods, m.Key))
		}
	}
	return r.usable()
}

func (r *reader) readOperation(path tree.Member, item *tree.Node, itemAt string, m tree.Member, at string) {
	op := r.operation(path, m, at)
	r.nodes[op] = m.Value
	r.readRequest(op, item, itemAt, m.Value, at)
	r.readCallbacks(op, m.Value.Get("callbacks"), at+"/callbacks")
	r.sources[op] = withParameters(m.Value, item.Get("parameters"))
	r.contract.Operations = append(r.contract.Operations, op)
}

// withParameters adds the parameters of a path to those of its operation.
func withParameters(operation, shared *tree.Node) *tree.Node {
	if shared == nil || operation.Kind != tree.Map {
		return operation
	}
	all := tree.NewList(shared.Items...)
	members := make([]tree.Member, 0, len(operation.Members)+1)
	for _, m := range operation.Members {
		if m.Key == "parameters" {
			all.Items = slices.Concat(shared.Items, m.Value.Items)
			continue
		}
		members = append(members, m)
	}
	return tree.NewMap(append(members, tree.Member{Key: "parameters", Value: all})...)
}

func cmpNode(n, otherwise *tree.Node) *tree.Node {
	if n != nil {
		return n
	}
	return otherwise
}

// usable refuses a contract in which nothing answers, with all the reasons.
func (r *reader) usable() error {
	var reasons []problem.Item
	for _, op := range r.contract.Operations {
		if op.Skipped == nil {
			return nil
		}
		reasons = append(reasons, *op.Skipped)
	}
	if len(reasons) == 0 {
		reasons = append(r.contract.Warnings, fault(r.root.Get("paths"), "/paths", "no path has an operation"))
	}
	return refuse(reasons...)
}
