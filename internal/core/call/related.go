package call

import (
	"bytes"
	"encoding/base64"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"net/textproto"
	"slices"
	"strings"
)

// RelatedPart is a part of a multipart/related body (RFC 2387).
type RelatedPart struct {
	// ID is that of its Content-ID, without the brackets; "" for none.
	ID          string
	ContentType string
	Content     []byte
	// AsText writes the content as base64, so that the whole body is text.
	AsText bool
}

// Related takes a multipart/related body apart: its root, and the other parts in their order. The error
// says why it cannot be read.
func Related(contentType string, body []byte) (root RelatedPart, others []RelatedPart, err error) {
	base, params, err := mime.ParseMediaType(contentType)
	if err != nil {
		return root, nil, err
	}
	if base != "multipart/related" {
		return root, nil, errors.New("it is not multipart/related")
	}
	start := unbracketed(params["start"])
	found := false
	for parts := multipart.NewReader(bytes.NewReader(body), params["boundary"]); ; {
		part, err := parts.NextRawPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return root, nil, err
		}
		one, err := related(part)
		if err != nil {
			return root, nil, err
		}
		if !found && (start == "" || one.ID == start) {
			root, found = one, true
		} else {
			others = append(others, one)
		}
	}
	if !found {
		return root, nil, errors.New("its root part is missing")
	}
	return root, others, nil
}

func related(part *multipart.Part) (one RelatedPart, err error) {
	one = RelatedPart{ID: unbracketed(part.Header.Get("Content-Id")), ContentType: part.Header.Get("Content-Type")}
	var r io.Reader = part
	if strings.EqualFold(part.Header.Get("Content-Transfer-Encoding"), "base64") {
		r = base64.NewDecoder(base64.StdEncoding, part)
	}
	one.Content, err = io.ReadAll(r)
	return one, err
}

func unbracketed(id string) string {
	return strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(id), "<"), ">")
}

// AppendRelated writes a multipart/related body of a root and further parts, and its Content-Type, whose
// further parameters are given. The boundary follows from what is in it.
func AppendRelated(root RelatedPart, others []RelatedPart, params map[string]string) (contentType string, body []byte, err error) {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	if err := w.SetBoundary(boundaryOf(root, others)); err != nil {
		return "", nil, err
	}
	for _, part := range append([]RelatedPart{root}, others...) {
		coding, content := "binary", part.Content
		if part.AsText {
			coding, content = "base64", inLines(part.Content)
		}
		header := textproto.MIMEHeader{"Content-Type": {part.ContentType}, "Content-Transfer-Encoding": {coding}, "Content-Id": {"<" + part.ID + ">"}}
		into, err := w.CreatePart(header)
		if err != nil {
			return "", nil, err
		}
		_, _ = into.Write(content) // a buffer takes everything
	}
	if err := w.Close(); err != nil {
		return "", nil, err
	}
	all := map[string]string{"boundary": w.Boundary(), "start": "<" + root.ID + ">"}
	for name, value := range params {
		all[name] = value
	}
	return mime.FormatMediaType("multipart/related", all), b.Bytes(), nil
}

// inLines is base64 in lines of 76 characters (RFC 2045, section 6.8).
func inLines(content []byte) []byte {
	const most = 76
	text := base64.StdEncoding.AppendEncode(nil, content)
	return bytes.Join(slices.Collect(slices.Chunk(text, most)), []byte("\r\n"))
}

// boundaryOf is a boundary that is in none of the parts.
func boundaryOf(root RelatedPart, others []RelatedPart) string {
	boundary := "part"
	for _, part := range append([]RelatedPart{root}, others...) {
		for bytes.Contains(part.Content, []byte("--"+boundary)) {
			boundary += "x"
		}
	}
	return boundary
}
