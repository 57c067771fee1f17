package wsdl

import (
	"encoding/base64"
	"fmt"
	"mime"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/xmltree"
)

var _ contract.Packager = (*service)(nil)

// xop is the media type of envelopes whose bytes stand in parts beside them (MTOM).
const xop = "application/xop+xml"

// messageType is the media type of a message, also of one with attachments.
func messageType(contentType string) string {
	base, params, err := mime.ParseMediaType(contentType)
	if err != nil || base != "multipart/related" {
		return contentType
	}
	if params["type"] != xop {
		return params["type"]
	}
	info := params["start-info"]
	if action := params["action"]; action != "" && !strings.Contains(info, "action=") { // where some clients have it
		info += `; action="` + action + `"`
	}
	return info
}

// wantsPackage reports whether a call wants its answer with bytes in parts of their own: it came so, or
// accepts it.
func wantsPackage(r *call.Request) bool {
	_, params, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	return err == nil && params["type"] == xop || strings.Contains(strings.Join(r.Header["Accept"], ","), xop)
}

// Package implements contract.Packager by MTOM.
func (s *service) Package(asked *contract.Asked, r *call.Request, a call.Answer) (packed call.Answer, parts int, ok bool) {
	op := s.own[asked.Operation]
	if op == nil || op.oneWay() || op.output.encoded || !op.packaged && !wantsPackage(r) || len(a.Body) == 0 {
		return a, 0, false
	}
	root, err := xmltree.Parse(a.Body)
	if err != nil || versionOf(root) == 0 {
		return a, 0, false
	}
	var others []call.RelatedPart
	for _, n := range op.binaries(bodyOf(root)) {
		content, err := base64.StdEncoding.DecodeString(strings.Join(strings.Fields(n.Text), ""))
		if err != nil || len(content) == 0 {
			continue // it is sent where it is
		}
		part := call.RelatedPart{ID: fmt.Sprintf("part-%d@rapid-mimic", len(others)+1), ContentType: "application/octet-stream", Content: content}
		for _, attribute := range n.Attrs {
			if attribute.Name.Local == "contentType" && strings.HasSuffix(attribute.Name.Space, "/xmlmime") {
				part.ContentType = attribute.Value
			}
		}
		n.Text, n.Children = "", nil
		n.Add(&xmltree.Node{Name: name{Space: match.Inclusion, Local: "Include"}, Attrs: []xmltree.Attr{{Name: name{Local: "href"}, Value: "cid:" + part.ID}}})
		others = append(others, part)
	}
	if len(others) == 0 && !op.packaged {
		return a, 0, false
	}
	root.Carry() // prefixes that values use
	info, _, _ := strings.Cut(mediaType(versionOf(root)), ";")
	message := call.RelatedPart{ID: "message@rapid-mimic", ContentType: xop + `; charset=utf-8; type="` + info + `"`, Content: document(root)}
	contentType, body, err := call.AppendRelated(message, others, map[string]string{"type": xop, "start-info": info})
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

// binaries are the elements of an answer that hold bytes as base64.
func (o *operation) binaries(body *xmltree.Node) (found []*xmltree.Node) {
	for i, c := range body.Children {
		if i < len(o.output.body) && c.Name == o.output.body[i].Name {
			found = append(found, o.service.schemas.Binaries(c, o.output.body[i])...)
		}
	}
	return found
}
