package call

import (
	"bytes"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"net/url"
)

// Parts reads the parts of a multipart body as the fields of a form.
func Parts(contentType string, body []byte) (url.Values, error) {
	_, params, err := mime.ParseMediaType(contentType)
	if err != nil {
		return nil, err
	}
	fields := make(url.Values)
	for parts := multipart.NewReader(bytes.NewReader(body), params["boundary"]); ; {
		part, err := parts.NextPart()
		if errors.Is(err, io.EOF) && len(fields) == 0 && !bytes.HasPrefix(bytes.TrimLeft(body, "\r\n"), []byte("--"+params["boundary"]+"--")) { // a form without fields
			return nil, errors.New("it has no part between its boundaries")
		}
		if errors.Is(err, io.EOF) {
			return fields, nil
		}
		if err != nil {
			return nil, err
		}
		content, err := io.ReadAll(part)
		if err != nil {
			return nil, err
		}
		name := part.FormName()
		if name == "" { // of a message with attachments
			name = unbracketed(part.Header.Get("Content-Id"))
		}
		fields.Add(name, string(content))
	}
}
