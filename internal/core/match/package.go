package match

import (
	"bytes"
	"encoding/base64"
	"errors"
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/xmltree"
)

// Inclusion is the namespace of XOP, whose Include stands for the bytes of another part.
const Inclusion = "http://www.w3.org/2004/08/xop/include"

// unpacked is the message of a multipart/related body, XML in which each part that is included (XOP)
// stands as base64. ok is false for any other body.
func unpacked(contentType string, body []byte) (message []byte, ok bool) {
	root, others, err := call.Related(contentType, body)
	if err != nil || !call.IsXML(root.ContentType) {
		return nil, false
	}
	message, err = included(root.Content, others)
	if err != nil {
		return root.Content, true // whoever reads it says what is wrong
	}
	return message, true
}

// included is a document in which the parts that it includes stand in their places.
func included(document []byte, others []call.RelatedPart) ([]byte, error) {
	if len(others) == 0 || !bytes.Contains(document, []byte(Inclusion)) {
		return document, nil
	}
	document, err := xmltree.UTF8(document)
	if err != nil {
		return nil, err
	}
	root, err := xmltree.Parse(document)
	if err != nil {
		return nil, err
	}
	size := len(document)
	for _, n := range slices.Backward(inclusions(root, nil)) {
		part := PartOf(others, n.Attr("href"))
		if part == nil {
			continue // it stays as it is, which no schema takes
		}
		if size += base64.StdEncoding.EncodedLen(len(part.Content)); size > mostPlain {
			return nil, errors.New("the parts that it includes are too large")
		}
		end := n.End
		if !bytes.HasSuffix(document[:n.End], []byte("/>")) {
			if at := bytes.Index(document[n.End:], []byte(">")); at >= 0 { // of the closing tag
				end += at + 1
			}
		}
		document = slices.Concat(document[:n.Start], base64.StdEncoding.AppendEncode(nil, part.Content), document[end:])
	}
	return document, nil
}

func inclusions(n *xmltree.Node, found []*xmltree.Node) []*xmltree.Node {
	if n.Name.Space == Inclusion && n.Name.Local == "Include" {
		return append(found, n)
	}
	for _, c := range n.Children {
		found = inclusions(c, found)
	}
	return found
}

// PartOf is the part that an address of the scheme cid names (RFC 2392); nil for none.
func PartOf(others []call.RelatedPart, href string) *call.RelatedPart {
	id, is := strings.CutPrefix(href, "cid:")
	if plain, err := url.PathUnescape(id); err == nil {
		id = plain
	}
	for i := range others {
		if is && others[i].ID == id {
			return &others[i]
		}
	}
	return nil
}
