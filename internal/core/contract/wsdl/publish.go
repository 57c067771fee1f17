package wsdl

import (
	"bytes"
	"fmt"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/xmltree"
)

// Published implements contract.Publisher.
func (*service) Published() string { return "wsdl" }

// Publish implements contract.Publisher.
func (s *service) Publish(query, base string) (a call.Answer, ok bool) {
	text, ok := s.served(query, base)
	if !ok {
		return call.Answer{}, false
	}
	return call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "text/xml; charset=utf-8"}}, Body: text}, true
}

// UpstreamPath implements contract.Located: the upstream is the port itself, whose path comes from the
// contract where the upstream has none.
func (s *service) UpstreamPath(base string, segments []string) (path string, ok bool) {
	ports, fault := s.portsAt(segments)
	if fault != nil {
		return "", false
	}
	if strings.Trim(base, "/") != "" {
		return base, true
	}
	for _, p := range ports {
		if at, err := url.Parse(p.location); err == nil && at.Path != "" {
			return at.EscapedPath(), true
		}
	}
	return "/", true
}

var location = regexp.MustCompile(`((?:schemaL|l)ocation\s*=\s*)("[^"]*"|'[^']*')`)

// served is a document of the contract by the query of its address. References
// between documents and the addresses of ports lead to base.
func (s *service) served(query, base string) (text []byte, ok bool) {
	file, ok := s.asked(query)
	if !ok {
		return nil, false
	}
	document := s.documents[file]
	if document == nil && file == referenceFile && s.refers {
		return []byte(xmltree.Declaration + referenceSchema), true
	}
	source := s.bundle.Contract()
	if file != s.bundle.Main {
		if source, ok = s.bundle.File(file); !ok || document == nil {
			return nil, false
		}
	}
	source, err := xmltree.UTF8(source)
	if err != nil {
		return nil, false
	}
	out := []byte(xmltree.Declaration)
	from := 0
	s.rewrites(document, file, base, func(n *xmltree.Node, address string) {
		if n.Name.Local == "Address" { // whose text it is
			if end := bytes.IndexByte(source[n.End:], '<'); end >= 0 {
				out = append(append(out, source[from:n.End]...), escaped(address)...)
				from = n.End + end
			}
			return
		}
		out = append(append(out, source[from:n.Start]...), withLocation(source[n.Start:n.End], address)...)
		from = n.End
	})
	out = append(out, []byte(strings.TrimLeft(string(source[from:]), " \r\n\t"))...)
	if s.unserved && file == s.bundle.Main {
		out = s.withService(out, document, base)
	}
	return out, true
}

// withService is a contract with the service that it lacks.
func (s *service) withService(text []byte, root *xmltree.Node, base string) []byte {
	end := bytes.LastIndex(text, []byte("</"))
	if end < 0 {
		return text
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<service xmlns=%q xmlns:soap=%q xmlns:soap12=%q xmlns:own="%s" name="Service">`, space, space11, space12, escaped(root.Attr("targetNamespace")))
	for _, p := range s.ports {
		prefix := map[int]string{11: "soap", 12: "soap12"}[p.version]
		fmt.Fprintf(&b, `<port name="%s" binding="own:%[1]s"><%s:address location="%s"/></port>`, escaped(p.name), prefix, escaped(base+"/"+url.PathEscape(p.name)))
	}
	b.WriteString("</service>")
	return slices.Concat(text[:end], []byte(b.String()), text[end:])
}

// withLocation is a tag with another location.
func withLocation(tag []byte, address string) []byte {
	return location.ReplaceAll(tag, []byte(`${1}"`+strings.ReplaceAll(escaped(address), "$", "$$")+`"`))
}

// escaped is an address as it stands in XML.
func escaped(address string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", `"`, "&quot;").Replace(address)
}

// asked finds the file that a query names: wsdl alone is the contract itself.
func (s *service) asked(query string) (file string, ok bool) {
	key, value, _ := strings.Cut(query, "=")
	if key = strings.ToLower(key); key != "wsdl" && key != "xsd" {
		return "", false
	}
	value, err := url.QueryUnescape(value)
	if err != nil {
		return "", false
	}
	if value == "" || value == s.bundle.Main {
		return s.bundle.Main, key == "wsdl"
	}
	return path.Clean(value), true
}

// rewrites tells in the order of the document which tags get another location, and which endpoint
// references another address.
func (s *service) rewrites(n *xmltree.Node, file, base string, change func(n *xmltree.Node, address string)) {
	switch local := n.Name.Local; {
	case local == "address" && (n.Name.Space == space11 || n.Name.Space == space12) && slices.Contains(s.portNames(), n.Parent.Attr("name")):
		change(n, base+"/"+url.PathEscape(n.Parent.Attr("name")))
	case local == "Address" && n.Parent.Name.Local == "EndpointReference" && n.Parent.Name.Space == n.Name.Space && slices.Contains(s.portNames(), n.Parent.Parent.Attr("name")):
		change(n, base+"/"+url.PathEscape(n.Parent.Parent.Attr("name")))
	case locationOf(n) != "":
		kind := "xsd"
		if target, ok := resolve(s.bundle, locationOf(n), file); ok {
			if d := s.documents[target]; d != nil && d.Name.Local == "definitions" {
				kind = "wsdl"
			}
			change(n, base+"?"+kind+"="+url.QueryEscape(target))
		} else if n.Attr("namespace") == xsd.Reference.Space {
			change(n, base+"?xsd="+referenceFile)
		}
	}
	for _, c := range n.Children {
		s.rewrites(c, file, base, change)
	}
}
