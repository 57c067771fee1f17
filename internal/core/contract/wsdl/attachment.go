package wsdl

import (
	"encoding/base64"
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// mimeSpace is the namespace of what a binding says of attachments.
const mimeSpace = "http://schemas.xmlsoap.org/wsdl/mime/"

// referenceSchema is the schema of elements that name attachments (xsd.Reference), which everybody imports
// and few deliver; referenceFile is where it is served in that case.
const (
	referenceFile   = "swaref.xsd"
	referenceSchema = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="http://ws-i.org/profiles/basic/1.1/xsd">
<xs:simpleType name="swaRef"><xs:restriction base="xs:anyURI"/></xs:simpleType></xs:schema>
`
)

// attachment is a part of a message that a binding sends beside the envelope (mime:content). Until a
// message goes out it stands in the body, behind everything else, in an element of its name: as XML, as
// text, or as base64, by its media type. So answers of mappings can have it.
type attachment struct {
	part       string
	mediaTypes []string // of which any will do, "image/*" too; at least one
	element    *xsd.Element
}

// attachments are what a binding sends beside the envelope, in its order.
func (r *reader) attachments(multipart *xmltree.Node, parts []part) (all []attachment) {
	for _, beside := range multipart.All(mimeSpace, "part") {
		for _, content := range beside.All(mimeSpace, "content") {
			called := content.Attr("part")
			if called == "" && len(parts) == 1 {
				called = parts[0].name
			}
			mediaType := call.BaseType(content.Attr("type"))
			if mediaType == "" {
				mediaType = "*/*"
			}
			if i := slices.IndexFunc(all, func(a attachment) bool { return a.part == called }); i >= 0 {
				all[i].mediaTypes = append(all[i].mediaTypes, mediaType)
				continue
			}
			i := slices.IndexFunc(parts, func(p part) bool { return p.name == called })
			if i < 0 {
				r.warn(content, "attachment %q is no part of the message, and not sent", called)
				continue
			}
			all = append(all, attachment{called, []string{mediaType}, r.partElement(parts[i], false)})
		}
	}
	return all
}

// withoutAttachments leaves out the parts of a message that are sent beside the envelope.
func withoutAttachments(parts []part, attachments []attachment) []part {
	return slices.DeleteFunc(slices.Clone(parts), func(p part) bool {
		return slices.ContainsFunc(attachments, func(a attachment) bool { return a.part == p.name })
	})
}

// sent is the media type by which the attachment is sent.
func (a *attachment) sent() string {
	if a.mediaTypes[0] == "*/*" {
		return "application/octet-stream"
	}
	return sample.OfRange(a.mediaTypes[0])
}

// takes reports whether the attachment may be of a media type.
func (a *attachment) takes(mediaType string) bool {
	return slices.ContainsFunc(a.mediaTypes, func(own string) bool {
		family, isRange := strings.CutSuffix(own, "*")
		return own == "*/*" || call.BaseType(mediaType) == own || isRange && strings.HasPrefix(mediaType, family)
	})
}

// draw makes an attachment as it stands in a body.
func (a *attachment) draw(g *xsd.Generator) *xmltree.Node {
	n := &xmltree.Node{Name: name{Local: a.part}}
	switch mediaType := a.sent(); {
	case call.IsXML(mediaType):
		n.Add(g.Element(a.element))
	case strings.HasPrefix(mediaType, "text/"):
		n.Text = g.Element(a.element).Text
	case sample.HasFile(mediaType):
		n.Text = base64.StdEncoding.EncodeToString(g.Draw.File(mediaType))
	default:
		n.Text = base64.StdEncoding.EncodeToString(g.Draw.File("application/octet-stream"))
	}
	return n
}

// content is what is sent of an attachment that stands in a body.
func (a *attachment) content(n *xmltree.Node) call.RelatedPart {
	part := call.RelatedPart{ContentType: contentTypeOf(n, a.sent())}
	switch text := strings.TrimSpace(n.Text); {
	case len(n.Children) > 0:
		n.Children[0].Carry()
		part.Content = n.Children[0].Document()
	case strings.HasPrefix(part.ContentType, "text/") || call.IsXML(part.ContentType):
		part.Content = []byte(n.Text)
	default:
		content, err := base64.StdEncoding.DecodeString(strings.Join(strings.Fields(text), ""))
		if err != nil {
			content = []byte(n.Text)
		}
		part.Content = content
	}
	return part
}

// contentTypeOf is the media type that an element says its content has (xmime:contentType), or another.
func contentTypeOf(n *xmltree.Node, other string) string {
	for _, attribute := range n.Attrs {
		if attribute.Name.Local == "contentType" && strings.HasSuffix(attribute.Name.Space, "/xmlmime") {
			return attribute.Value
		}
	}
	return other
}

// attaches reports whether parts may go beside a message of the operation.
func (o *operation) attaches(m *message) bool { return len(m.attachments) > 0 || o.service.refers }

// beside takes out of a body what goes beside it: its attachments, and for each element that names one
// (xsd.Reference) a part. That has the content that the element has as base64, or the part that it names
// of a request, which may be nil; or else it is drawn.
func (o *operation) beside(m *message, body *xmltree.Node, r *call.Request, draw *sample.Draw) []call.RelatedPart {
	g := o.service.generator(draw)
	parts := m.detach(body, g)
	if !o.service.refers {
		return parts
	}
	var theirs []call.RelatedPart
	if r != nil && call.BaseType(r.Header.Get("Content-Type")) == "multipart/related" {
		_, theirs, _ = call.Related(r.Header.Get("Content-Type"), match.Uncoded(r))
	}
	file := attachment{mediaTypes: []string{"*/*"}}
	for i, n := range m.each(body, o.service.schemas.References) {
		named := match.PartOf(theirs, n.Text)
		if named == nil {
			if _, err := base64.StdEncoding.DecodeString(n.Text); err != nil || n.Text == "" {
				n.Text = file.draw(g).Text
			}
			own := file.content(n)
			named = &own
		}
		part := *named
		part.ID = fmt.Sprintf("%s-%d@rapid-mimic", n.Name.Local, i+1)
		n.Text = "cid:" + part.ID
		parts = append(parts, part)
	}
	return parts
}

// attach puts the attachments of a message into its body.
func (m *message) attach(body *xmltree.Node, g *xsd.Generator) {
	for i := range m.attachments {
		body.Add(m.attachments[i].draw(g))
	}
}

// detach takes the attachments of a message out of its body. Those that are not there are drawn.
func (m *message) detach(body *xmltree.Node, g *xsd.Generator) (parts []call.RelatedPart) {
	for i := range m.attachments {
		a := &m.attachments[i]
		n := body.Child("", a.part)
		at := slices.Index(body.Children, n)
		if at >= len(m.body) || at >= 0 && n.Name != m.body[at].Name {
			body.Children = slices.Delete(body.Children, at, at+1)
		} else {
			n = a.draw(g)
		}
		part := a.content(n)
		part.ID = a.part + "=" + fmt.Sprintf("part-%d@rapid-mimic", i+1)
		if m.encoded && len(body.Children) > 0 { // there an element says where it is
			body.Children[0].Add(&xmltree.Node{Name: name{Local: a.part}, Attrs: []xmltree.Attr{{Name: name{Local: "href"}, Value: "cid:" + part.ID}}})
		}
		parts = append(parts, part)
	}
	return parts
}

// attachmentFaults tells what of the attachments of a message does not obey. They are known by their
// Content-ID, sketch=… for the part sketch, or else by their media types.
func (o *operation) attachmentFaults(m *message, body *xmltree.Node, contentType string, whole []byte, add func(where, detail string)) {
	if !o.attaches(m) {
		return
	}
	var others []call.RelatedPart
	if call.BaseType(contentType) == "multipart/related" {
		_, others, _ = call.Related(contentType, whole)
	}
	if o.service.refers {
		for _, n := range m.each(body, o.service.schemas.References) {
			if n.Text != "" && match.PartOf(others, n.Text) == nil {
				add(placeOf(n), fmt.Sprintf("no part beside the message has the Content-ID of %s", n.Text))
			}
		}
	}
	for i := range m.attachments {
		a := &m.attachments[i]
		at := slices.IndexFunc(others, func(p call.RelatedPart) bool { return match.IsPart(p.ID, a.part) })
		if at < 0 {
			at = slices.IndexFunc(others, func(p call.RelatedPart) bool { return !strings.Contains(p.ID, "=") && a.takes(p.ContentType) })
		}
		where := "attachment " + a.part
		if at < 0 {
			add(where, fmt.Sprintf("it is missing: no part has a Content-ID that begins with %s=, or is %s", a.part, strings.Join(a.mediaTypes, " or ")))
			continue
		}
		found := others[at]
		others = slices.Delete(others, at, at+1)
		if !a.takes(found.ContentType) {
			add(where, fmt.Sprintf("it is %s, not %s", found.ContentType, strings.Join(a.mediaTypes, " or ")))
		} else if call.IsXML(found.ContentType) {
			o.documentFaults(found.Content, a, add)
		}
	}
}

// documentFaults holds an attachment of XML against its schema.
func (o *operation) documentFaults(text []byte, a *attachment, add func(where, detail string)) {
	where := "attachment " + a.part
	root, err := xmltree.Parse(text)
	switch {
	case err != nil:
		add(where, "it is not XML: "+err.Error())
	case root.Name == a.element.Name:
		for _, f := range o.service.schemas.Validate(root, a.element) {
			add(where+" "+f.Node.Path(), f.Detail)
		}
	}
}
