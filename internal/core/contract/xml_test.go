package contract_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

const inXML = `
openapi: 3.0.3
paths:
  /berth:
    get:
      responses:
        "200":
          content:
            application/xml:
              schema: {$ref: "#/components/schemas/Berth"}
              examples:
                free: {value: {number: N7, free: true, tags: [a, "<b>"], vessels: [{name: Tern}, {name: Gull}], price: {amount: 12.50}, remark: null}}
                written: {value: "<berth/>"}
  /berths:
    get: {responses: {"200": {content: {application/xml: {schema: {type: array, items: {$ref: "#/components/schemas/Berth"}}}}}}}
components:
  schemas:
    Berth:
      type: object
      xml: {name: berth, namespace: "https://skerry-sound.example/berths", prefix: b}
      required: [number, free, tags]
      properties:
        number: {type: string, xml: {attribute: true}}
        free: {type: boolean}
        tags: {type: array, items: {type: string, xml: {name: tag}}}
        vessels: {type: array, xml: {wrapped: true, name: fleet}, items: {$ref: "#/components/schemas/Vessel"}}
        price: {allOf: [{$ref: "#/components/schemas/Money"}]}
        remark: {type: string, nullable: true}
    Vessel: {type: object, xml: {name: vessel}, required: [name], properties: {name: {type: string}}}
    Money: {type: object, properties: {amount: {type: number}}}
`

func TestValuesAreWrittenAndReadAsXML(t *testing.T) {
	mediaType := read(t, inXML).Operations[0].Success.MediaTypes[0]
	free := mediaType.Example("free")
	assert.Equal(t, `<?xml version="1.0" encoding="UTF-8"?>
<b:berth xmlns:b="https://skerry-sound.example/berths" number="N7"><free>true</free><tag>a</tag><tag>&lt;b&gt;</tag>`+
		`<fleet><vessel><name>Tern</name></vessel><vessel><name>Gull</name></vessel></fleet><price><amount>12.50</amount></price>`+
		`<remark xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" xsi:nil="true"/></b:berth>
`, string(free.Body))
	assert.Equal(t, "<berth/>", string(mediaType.Example("written").Body), "a text is sent as it stands")
	value, err := mediaType.Decode("application/xml; charset=utf-8", free.Body)
	require.NoError(t, err)
	assert.JSONEq(t, string(free.Value.AppendJSON(nil)), string(value.AppendJSON(nil)))
}

func TestGeneratedXMLObeysItsSchema(t *testing.T) {
	for _, op := range read(t, inXML).Operations {
		mediaType := op.Success.MediaTypes[0]
		for i := range uint64(200) {
			value, valid := mediaType.Schema.Generate(sample.NewDraw(1, op.ID, i))
			require.True(t, valid)
			text, ok := mediaType.Encode(value)
			require.True(t, ok)
			back, err := mediaType.Decode("text/xml", text)
			require.NoError(t, err, "%s", text)
			require.NoError(t, mediaType.Schema.Check(back), "%s", text)
		}
	}
}

func TestXMLThatCannotBeRead(t *testing.T) {
	schema := read(t, inXML).Operations[0].Success.MediaTypes[0].Schema
	for text, want := range map[string]string{
		"":                                   "it has no element",
		"<berth>":                            "unexpected EOF",
		"<boat/>":                            "its root is <boat>, expected <berth>",
		`<!DOCTYPE a [<!ENTITY e "x">]><a/>`: "document type declaration",
	} {
		_, err := schema.ReadXML([]byte(text))
		assert.ErrorContains(t, err, want, text)
	}
	value, err := schema.ReadXML([]byte(`<berth number="N1"><free>maybe</free><crane><arm>1</arm></crane></berth>`))
	require.NoError(t, err)
	assert.Equal(t, `{"number":"N1","free":"maybe","crane":{"arm":"1"}}`, string(value.AppendJSON(nil)), "what is wrong is left to the schema")
}

func TestPlainValues(t *testing.T) {
	for text, want := range map[string]string{`[1,"a"]`: "1,a", `{"a":1,"b":[2,3]}`: "a,1,b,2,3", `"x"`: "x", `null`: "", `1.0`: "1.0"} {
		n, err := tree.Parse([]byte(text))
		require.NoError(t, err)
		assert.Equal(t, want, contract.Plain(n))
	}
}
