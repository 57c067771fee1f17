package openapi_test

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	_ "image/gif"
	_ "image/jpeg"
	_ "image/png"
	"mime"
	"mime/multipart"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
)

func TestBrokenExamples(t *testing.T) {
	c := document(t, "3.0.0", `
paths:
  /a:
    post:
      operationId: a
      requestBody: {content: {application/json: {schema: {type: integer}, example: x}}}
      responses:
        200: {description: x, content: {application/json: {schema: {type: object, properties: {n: {type: integer}}}, examples: {one: {value: {n: 1}}, two: {value: {n: x}}}}, text/csv: {example: 'a,b'}}}
        404: {description: x, content: {application/json: {schema: {type: integer}, example: null}}}`)
	broken, looked, all := c.BrokenExamples(10)
	var told []string
	for _, b := range broken {
		told = append(told, b.Operation.ID+" "+b.Place()+": "+b.Detail)
	}
	assert.Equal(t, []string{"a request body, application/json: got string, want integer", `a response 200, application/json, example "two": /n: got string, want integer`, "a response 404, application/json: got null, want integer"}, told)
	assert.Equal(t, [2]int{4, 4}, [2]int{looked, all})
	broken, looked, all = c.BrokenExamples(1)
	assert.Len(t, broken, 1)
	assert.Equal(t, [2]int{1, 4}, [2]int{looked, all})
}

// Answers of media types that are files can be opened as what they say they are, also those of ranges.
func TestFilesOfTheWorld(t *testing.T) {
	opens := func(kind string) func([]byte) error {
		return func(b []byte) error {
			_, format, err := image.Decode(bytes.NewReader(b))
			if err == nil && format != kind {
				err = fmt.Errorf("it is %s", format)
			}
			return err
		}
	}
	begins := func(with string) func([]byte) error {
		return func(b []byte) error {
			if !bytes.HasPrefix(b, []byte(with)) {
				return fmt.Errorf("it begins with %q", b[:min(len(b), 8)])
			}
			return nil
		}
	}
	for written, k := range map[string]struct {
		name string
		test func([]byte) error
	}{
		"image/*": {"image/png", opens("png")}, "image/jpeg": {"image/jpeg", opens("jpeg")}, "image/gif": {"image/gif", opens("gif")}, "image/bmp": {"image/bmp", begins("BM")},
		"image/svg+xml": {"image/svg+xml", begins("<?xml")}, "application/pdf": {"application/pdf", begins("%PDF-1.4")}, "audio/wav": {"audio/wav", begins("RIFF")}, "application/gzip": {"application/gzip", begins("\x1f\x8b")},
		"application/zip": {"application/zip", func(b []byte) error {
			_, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
			return err
		}},
		"application/octet-stream": {"application/octet-stream", begins("")},
	} {
		for _, schema := range []string{"{schema: {type: string, format: binary}}", "{}"} {
			c := document(t, "3.1.0", "paths: {/a: {get: {responses: {200: {description: x, content: {'"+written+"': "+schema+"}}}}}}")
			b := answered(t, c, "GET", "/a", "")
			assert.Equal(t, k.name, b.Answer.Get("Content-Type"), written)
			assert.NoError(t, k.test(b.Answer.Body), written)
			assert.NotEmpty(t, b.Answer.Body)
			assert.Empty(t, c.Operations[0].CheckAnswer(&b.Answer, true, nil), written)
		}
	}
	value, _ := of(t, "{}", "{type: string, contentEncoding: base64, contentMediaType: image/png}").Generate(sample.NewDraw(1, "", 0))
	picture, err := base64.StdEncoding.DecodeString(value.Text)
	require.NoError(t, err)
	assert.NoError(t, opens("png")(picture))
}

// Forms are read and written as their encoding says.
func TestFormsOfTheWorld(t *testing.T) {
	const schema = `{schema: {type: object, required: [tags, at, ships], properties: {tags: {type: array, items: {type: integer}}, at: {type: object, required: [pier], properties: {pier: {type: integer}}}, ships: {type: array, items: {type: object, required: [n], properties: {n: {type: integer}}}}, note: {type: string}, file: {type: string, format: binary}}}, encoding: %s}`
	op := func(mediaType, encoding string) *contract.Operation {
		return document(t, "3.0.0", "paths: {/a: {post: {requestBody: {content: {"+mediaType+": "+fmt.Sprintf(schema, encoding)+"}}, responses: {200: {description: x}}}}}").Operations[0]
	}
	const form, parts = "application/x-www-form-urlencoded", "multipart/form-data"
	for _, k := range []struct{ encoding, body, want string }{
		{"{}", `tags=1&tags=2&pier=7&ships={"n":1}`, ""},
		{"{}", `tags=1&at={"pier":7}&ships={"n":1}&ships={"n":2}`, ""},
		{"{tags: {explode: false}, at: {style: deepObject}}", `tags=1,2&at[pier]=7&ships={"n":1}`, ""},
		{"{tags: {style: pipeDelimited, explode: false}}", `tags=1|2&pier=7&ships={"n":1}`, ""},
		{"{tags: {contentType: application/json}}", `tags=[1,2]&pier=7&ships={"n":1}`, ""},
		{"{}", `tags=1,2&pier=x&ships={"n":"x"}`, "body /at/pier: got string, want integer; body /ships/0/n: got string, want integer; body /tags/0: got string, want integer"},
		{"{}", `tags=1&at=x&ships=x`, "body /at: got string, want object; body /ships/0: got string, want object"},
	} {
		found := deviations(op(form, k.encoding), "/a", form, k.body)
		slices.Sort(found) // the validator has no order
		assert.Equal(t, k.want, strings.Join(found, "; "), "%s %s", k.encoding, k.body)
	}
	for _, encoding := range []string{"{}", "{tags: {explode: false}, at: {style: deepObject}}", "{tags: {contentType: application/json}, file: {contentType: 'image/png, image/jpeg'}}"} {
		for _, mediaType := range []string{form, parts} {
			o := op(mediaType, encoding)
			for i := range uint64(20) {
				r := o.Try(sample.NewDraw(1, "", i))
				assert.Empty(t, deviations(o, "/a", r.Header.Get("Content-Type"), string(r.Body.Bytes)), "%s %s: %s", mediaType, encoding, r.Body.Bytes)
			}
		}
	}
	r := op(parts, "{file: {contentType: 'image/png, image/jpeg'}}").Try(sample.NewDraw(1, "", 1))
	_, params, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	require.NoError(t, err)
	read, err := multipart.NewReader(bytes.NewReader(r.Body.Bytes), params["boundary"]).ReadForm(1 << 20)
	require.NoError(t, err)
	require.NotEmpty(t, read.File["file"])
	assert.Equal(t, "image/png", read.File["file"][0].Header.Get("Content-Type"))
}

// One schema from which many descend, all told apart by one property: the first value that is drawn
// and checked, and those that follow.
func BenchmarkManyDescendants(b *testing.B) {
	var schemas strings.Builder
	schemas.WriteString("{Thing: {type: object, required: [kind], properties: {kind: {type: string}}, discriminator: {propertyName: kind}}")
	for i := range 1_000 {
		fmt.Fprintf(&schemas, ", Thing%d: {allOf: [{$ref: '#/components/schemas/Thing'}, {type: object, properties: {of: {$ref: '#/components/schemas/Thing'}, a: {type: string}, b: {type: integer}, c: {type: array, items: {$ref: '#/components/schemas/Thing%d'}}}}]}", i, (i+7)%1_000)
	}
	schemas.WriteString("}")
	b.Run("first", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			s := of(b, schemas.String(), "{$ref: '#/components/schemas/Thing'}")
			b.StartTimer()
			value, _ := s.Generate(sample.NewDraw(1, "", 0))
			require.NoError(b, s.Check(value))
		}
	})
	s := of(b, schemas.String(), "{$ref: '#/components/schemas/Thing'}")
	b.Run("more", func(b *testing.B) {
		for i := range b.N {
			value, _ := s.Generate(sample.NewDraw(1, "", uint64(i)))
			require.NoError(b, s.Check(value))
		}
	})
}
