package wsdl

import (
	"encoding/base64"
	"fmt"
	"mime"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

var _ contract.Packager = (*service)(nil)

// xop is the media type of envelopes whose bytes stand in parts beside them (MTOM).
const xop = "application/xop+xml"

// messageType is the media type of a message, also of one with attachments.
func messageType(contentType string) string {
	if call.BaseType(contentType) != "multipart/related" {
		return contentType
	}
	_, params, err := mime.ParseMediaType(contentType)
	if err != nil {
		return contentType
	}
	info := params["type"]
	if info == xop {
		info = params["start-info"]
	}
	if action := params["action"]; action != "" && !strings.Contains(info, "action=") { // where some clients have it
		info += `; action="` + action + `"`
	}
	return info
}

// wantsPackage reports whether a call wants its answer with bytes in parts of their own: it came so, or
// accepts it.
func wantsPackage(r *call.Request) bool {
	if accepts := func(accept string) bool { return strings.Contains(accept, xop) }; slices.ContainsFunc(r.Header["Accept"], accepts) {
		return true
	}
	contentType := r.Header.Get("Content-Type")
	if !strings.Contains(contentType, xop) {
		return false
	}
	_, params, err := mime.ParseMediaType(contentType)
	return err == nil && params["type"] == xop
}

// Package implements contract.Packager: by MTOM, and by the attachments that the contract declares.
func (s *service) Package(asked *contract.Asked, r *call.Request, a call.Answer) (packed call.Answer, parts int, ok bool) {
	op := s.own[asked.Operation]
	if op == nil || op.oneWay() || len(a.Body) == 0 {
		return a, 0, false
	}
	optimised := !op.output.encoded && (op.packaged || wantsPackage(r))
	if !optimised && !op.attaches(op.output) {
		return a, 0, false
	}
	root, err := xmltree.Parse(a.Body)
	if err != nil || versionOf(root) == 0 || bodyOf(root) == nil || bodyOf(root).Child(root.Name.Space, "Fault") != nil {
		return a, 0, false
	}
	var others []call.RelatedPart
	if optimised {
		others = op.optimise(bodyOf(root))
	}
	optimised = optimised && (len(others) > 0 || op.packaged)
	others = append(others, op.beside(op.output, bodyOf(root), r, sample.NewDraw(0, op.id, 0))...)
	if len(others) == 0 && !op.packaged {
		return a, 0, false
	}
	contentType, body, err := related(root, mediaType(versionOf(root)), others, optimised)
	if err != nil {
		return a, 0, false
	}
	a.Body, a.Header, a.Wire = body, slices.Clone(a.Header), nil
	for i, f := range a.Header {
		if strings.EqualFold(f.Name, "Content-Type") {
			a.Header[i].Value = contentType
		}
	}
	return a, len(others), true
}

// related writes a message with parts beside it, and its Content-Type; optimised says that parts stand for
// bytes in it (MTOM).
func related(root *xmltree.Node, mediaType string, others []call.RelatedPart, optimised bool) (contentType string, body []byte, err error) {
	root.Carry() // prefixes that values use
	message := call.RelatedPart{ID: "message@rapid-mimic", ContentType: mediaType, Content: root.Document()}
	params := map[string]string{"type": call.BaseType(mediaType)}
	if optimised {
		message.ContentType = xop + `; charset=utf-8; type="` + params["type"] + `"`
		params = map[string]string{"type": xop, "start-info": params["type"]}
	}
	return call.AppendRelated(message, others, params)
}

// optimise takes the bytes out of a body that stand in it as base64.
func (o *operation) optimise(body *xmltree.Node) (parts []call.RelatedPart) {
	for _, n := range o.binaries(body) {
		content, err := base64.StdEncoding.DecodeString(strings.Join(strings.Fields(n.Text), ""))
		if err != nil || len(content) == 0 {
			continue // it is sent where it is
		}
		part := call.RelatedPart{ID: fmt.Sprintf("part-%d@rapid-mimic", len(parts)+1), ContentType: contentTypeOf(n, "application/octet-stream"), Content: content}
		n.Text, n.Children = "", nil
		n.Add(&xmltree.Node{Name: name{Space: match.Inclusion, Local: "Include"}, Attrs: []xmltree.Attr{{Name: name{Local: "href"}, Value: "cid:" + part.ID}}})
		parts = append(parts, part)
	}
	return parts
}

// binaries are the elements of an answer that hold bytes as base64.
func (o *operation) binaries(body *xmltree.Node) (found []*xmltree.Node) {
	return o.output.each(body, o.service.schemas.Binaries)
}

// each finds something in the elements of a body that a message declares.
func (m *message) each(body *xmltree.Node, find func(*xmltree.Node, *xsd.Element) []*xmltree.Node) (found []*xmltree.Node) {
	for i, c := range body.Children {
		if i < len(m.body) && c.Name == m.body[i].Name {
			found = append(found, find(c, m.body[i])...)
		}
	}
	return found
}
