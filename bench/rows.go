package main

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// row is one kind of call.
type row struct {
	name string
	ask  request
	// prepare makes the service moorings.
	prepare func(ctx context.Context, api *client.Client, upstream string) error
	relayed bool // it has an upstream, and is held against a reverse proxy
}

// berth is the body of small answers.
const berth = `{"number":"N7","pier":"north","lengthMetres":24.5,"draughtMetres":4.2,"state":"free","services":["water","power"]}`

// tail ends every body of berths, behind a number.
const tail = `"}]`

// berths is a JSON list of about so many bytes.
func berths(size int) []byte {
	var b strings.Builder
	b.WriteByte('[')
	for i := 0; b.Len() < size-220; i++ {
		fmt.Fprintf(&b, `{"number": "N%d", "pier": "north", "lengthMetres": %d.5, "state": "free", "services": ["water", "power"], "note": "by the crane"},`, i, i%30)
	}
	fmt.Fprintf(&b, `{"number": "N", "serial": "%0*d%s`, lastDigits, 0, tail)
	return []byte(b.String())
}

func get(path string) request { return request{method: "GET", path: path} }

// fixed answers by one of so many mappings, each with its path.
func fixed(count int) row {
	return row{name: fmt.Sprintf("fixed, %d mappings", count), ask: get(fmt.Sprintf("/moorings/berths/N%d", count/2)), prepare: mappings(count, func(i int) string {
		return fmt.Sprintf("{id: berth-%d, call: {method: GET, path: /berths/N%d}, answer: {json: %s}}", i, i, berth)
	})}
}

func rows() []row {
	post := func(size int, differs bool) request {
		return request{method: "POST", path: "/moorings/berths", contentType: "application/json", body: berths(size), differs: differs}
	}
	all := []row{fixed(1), fixed(1_000), fixed(10_000)}
	computed := strings.NewReplacer(`"N7"`, `"${call.path.what}"`, `24.5`, `"${1 + 23.5}"`).Replace(berth)
	script := "export default (call) => ({ json: " + strings.Replace(berth, `"N7"`, "call.path.what", 1) + " })"
	all = append(all,
		row{name: "${…}", ask: get("/moorings/berths/N500"), prepare: mappings(1_000, func(i int) string {
			return fmt.Sprintf(`{id: berth-%d, call: {method: GET, path: "/{what:berths}/N%d"}, answer: {json: %s}}`, i, i, computed)
		})},
		row{name: "script", ask: get("/moorings/berths/N5"), prepare: mappings(10, func(i int) string {
			return fmt.Sprintf(`{id: berth-%d, call: {method: GET, path: "/{what:berths}/N%d"}, answer: {script: %q}}`, i, i, script)
		})},
		row{name: "generated, 30 values", ask: get("/moorings/dues"), prepare: contract(duesContract())},
		row{name: "SOAP, 40 elements", ask: request{method: "POST", path: "/moorings/Desk", contentType: "text/xml", headers: []string{`SOAPAction: "urn:manifest"`},
			body: []byte(`<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><ask xmlns="urn:bench">7</ask></e:Body></e:Envelope>`)}, prepare: contract(manifestContract())})
	for _, size := range []int{1_000, 10_000, 100_000} {
		answer, err := json.Marshal(string(berths(size)))
		if err != nil {
			panic(err) // a string always marshals
		}
		all = append(all,
			row{name: fmt.Sprintf("answer of %d kB", size/1_000), ask: get("/moorings/berths"), prepare: mappings(1, func(int) string {
				return fmt.Sprintf("{id: all, call: {method: GET, path: /berths}, answer: {headers: {Content-Type: application/json}, text: %s}}", answer)
			})},
			row{name: fmt.Sprintf("answer of %d kB, each its own", size/1_000), ask: get("/moorings/berths"), prepare: mappings(1, func(int) string {
				own := strings.Replace(string(answer), strings.Repeat("0", lastDigits), "${uuid()}", 1)
				return fmt.Sprintf("{id: all, call: {method: GET, path: /berths}, answer: {headers: {Content-Type: application/json}, text: %s}}", own)
			})},
			row{name: fmt.Sprintf("request of %d kB", size/1_000), ask: post(size, false), prepare: mappings(1, booked)},
			row{name: fmt.Sprintf("request of %d kB, each its own", size/1_000), ask: post(size, true), prepare: mappings(1, booked)})
	}
	return append(all, row{name: "relayed and recorded", ask: get("/moorings/berths/N7"), relayed: true, prepare: recording})
}

func booked(int) string {
	return "{id: all, call: {method: POST, path: /berths}, answer: {json: {booked: true}}}"
}

// mappings puts so many into a service with a contract that says nothing of them.
func mappings(count int, of func(i int) string) func(context.Context, *client.Client, string) error {
	return func(ctx context.Context, api *client.Client, _ string) error {
		if err := contract("openapi: 3.1.0\ninfo: {title: Bench}\npaths: {/x: {get: {responses: {'204': {description: x}}}}}\n")(ctx, api, ""); err != nil {
			return err
		}
		var doc strings.Builder
		for i := range count {
			doc.WriteString("- " + of(i) + "\n")
		}
		_, err := api.PutMappings(ctx, "moorings", []byte(doc.String()))
		return err
	}
}

func contract(text string) func(context.Context, *client.Client, string) error {
	return func(ctx context.Context, api *client.Client, _ string) error {
		_, err := api.Import(ctx, client.Import{Text: []byte(text), Name: "moorings"})
		return err
	}
}

func recording(ctx context.Context, client *client.Client, upstream string) error {
	service := spec.NewService("moorings")
	service.Upstream = upstream
	if _, err := client.PutService(ctx, "moorings", service, ""); err != nil {
		return err
	}
	_, err := client.StartRecording(ctx, "moorings", api.RecordingStart{Name: "load"})
	return err
}

// duesContract answers with two objects of 15 values each.
func duesContract() string {
	return `openapi: 3.1.0
info: {title: Bench, version: "1"}
paths:
  /dues:
    get:
      operationId: dues
      responses:
        "200":
          description: Dues.
          content:
            application/json:
              schema:
                type: array
                minItems: 2
                maxItems: 2
                items: {$ref: "#/components/schemas/Due"}
components:
  schemas:
    Due:
      type: object
      required: [id, berth, vessel, from, until, amount, currency, state, paid, lines, note, contact]
      properties:
        id: {type: string, format: uuid}
        berth: {type: string, pattern: "^[NSW][1-9]$"}
        vessel: {type: object, required: [name, callSign, length], properties: {name: {type: string, minLength: 3, maxLength: 20}, callSign: {type: string}, length: {type: number, minimum: 3, maximum: 80}}}
        from: {type: string, format: date}
        until: {type: string, format: date-time}
        amount: {type: number, multipleOf: 0.01, minimum: 0, maximum: 900}
        currency: {type: string, enum: [EUR, GBP]}
        state: {type: string, enum: [open, settled, waived]}
        paid: {type: boolean}
        lines: {type: array, minItems: 1, maxItems: 1, items: {type: object, required: [what, count], properties: {what: {type: string}, count: {type: integer, minimum: 1, maximum: 9}}}}
        note: {type: string, maxLength: 80}
        contact: {type: string, format: email}
`
}

// manifestContract answers with 40 elements.
func manifestContract() string {
	var elements strings.Builder
	for i := range 40 {
		fmt.Fprintf(&elements, `<xs:element name="e%d" type="xs:%s"/>`, i, []string{"string", "int", "decimal", "boolean", "dateTime"}[i%5])
	}
	return `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:bench" targetNamespace="urn:bench">
<types><xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:bench" elementFormDefault="qualified">
<xs:element name="ask" type="xs:int"/><xs:element name="manifest"><xs:complexType><xs:sequence>` + elements.String() + `</xs:sequence></xs:complexType></xs:element></xs:schema></types>
<message name="Ask"><part name="body" element="t:ask"/></message><message name="Manifest"><part name="body" element="t:manifest"/></message>
<portType name="Desk"><operation name="manifest"><input message="t:Ask"/><output message="t:Manifest"/></operation></portType>
<binding name="Desk" type="t:Desk"><soap:binding transport="http://schemas.xmlsoap.org/soap/http" style="document"/><operation name="manifest"><soap:operation soapAction="urn:manifest"/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<service name="Desk"><port name="Desk" binding="t:Desk"><soap:address location="http://desk.skerry-sound.example/Desk"/></port></service>
</definitions>`
}
