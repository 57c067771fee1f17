package wsdl_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

const (
	demo       = "../../../../demo/data/customs"
	constructs = "testdata/constructs"
)

func readFolder(t testing.TB, folder, main string) *contract.Contract {
	b := &bundle.Bundle{Main: main}
	require.NoError(t, filepath.WalkDir(folder, func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		name, err := filepath.Rel(folder, path)
		b.Files = append(b.Files, bundle.File{Name: filepath.ToSlash(name), Text: text})
		return err
	}))
	c, err := wsdl.Read(b)
	require.NoError(t, err)
	return c
}

func operation(t testing.TB, c *contract.Contract, id string) *contract.Operation {
	for _, op := range c.Operations {
		if op.ID == id {
			return op
		}
	}
	t.Fatalf("there is no operation %s", id)
	return nil
}

func TestReadEveryConstruct(t *testing.T) {
	c := readFolder(t, constructs, "service.wsdl")
	assert.Equal(t, "Constructs", c.Title)
	var ids []string
	for _, op := range c.Operations {
		ids = append(ids, op.String())
	}
	assert.Equal(t, []string{"everything at /Literal", "builtins at /Literal", "inline at /Literal", "parted at /Literal", "oneWay at /Literal", "lost at /Literal",
		"berths at /Rpc", "berths-2 at /Rpc", "berths-3 at /Encoded"}, ids)
	var warnings []string
	for _, w := range c.Warnings {
		warnings = append(warnings, w.String())
	}
	assert.Equal(t, []string{
		`service.wsdl:23:30: message "s:None" is not in the contract`,
		`service.wsdl:47:3: port Plain is not answered: its binding is not one of SOAP`,
		`service.wsdl:48:41: port Mail is not answered: its transport is http://example.org/smtp, not HTTP`,
		`service.wsdl:55:5: port Gone has the binding "s:Gone", which is not in the contract`,
	}, warnings)
	assert.Equal(t, []string{"trouble"}, operation(t, c, "everything").ExampleNames())
	assert.Equal(t, 202, operation(t, c, "oneWay").Success.Status)
}

// bodies draws messages of an operation, both ways, and gives what their bodies
// hold, and the details of faults.
func bodies(t testing.TB, c *contract.Contract, op *contract.Operation, n int) (elements []*xmltree.Node) {
	take := func(text []byte) {
		root, err := xmltree.Parse(text)
		require.NoError(t, err, "%s", text)
		body := root.Child(root.Name.Space, "Body")
		for _, c := range body.Children {
			if c.Name.Local == "Fault" {
				elements = append(elements, c.Child("", "detail").Children...)
			} else {
				elements = append(elements, c)
			}
		}
	}
	for i := range n {
		draw := func(what string) *sample.Draw { return sample.NewDraw(7, op.ID+what, uint64(i)) }
		take(c.Protocol.Try(op, draw("in")).Body.Bytes)
		for _, name := range append(op.ExampleNames(), "") {
			a, err := c.Protocol.Answer(&contract.Asked{Operation: op}, contract.Wanted{Example: name, Draw: func() *sample.Draw { return draw(name) }})
			require.NoError(t, err)
			require.Empty(t, a.Invalid)
			if len(a.Answer.Body) > 0 {
				assert.Empty(t, c.Protocol.CheckAnswer(op, &a.Answer, true, nil), "%s", a.Answer.Body)
				take(a.Answer.Body)
			}
		}
	}
	return elements
}

// TestAnotherValidatorAgrees lets libxml2 judge what is drawn for every
// operation whose schemas stand in files.
func TestAnotherValidatorAgrees(t *testing.T) {
	_, err := exec.LookPath("xmllint")
	require.NoError(t, err, "make test installs it")
	for schema, ids := range map[string][]string{
		demo + "/schemas/cargo.xsd": {"submitManifest", "askClearance", "listHolds", "cancelManifest"},
		constructs + "/types.xsd":   {"everything", "builtins", "parted", "oneWay"},
	} {
		c := readFolder(t, demo, "customs.wsdl")
		if strings.HasPrefix(schema, constructs) {
			c = readFolder(t, constructs, "service.wsdl")
		}
		folder := t.TempDir()
		var files []string
		for _, id := range ids {
			for i, element := range bodies(t, c, operation(t, c, id), 60) {
				file := filepath.Join(folder, fmt.Sprintf("%s-%d.xml", id, i))
				element.Carry()
				require.NoError(t, os.WriteFile(file, element.Document(), 0o600))
				files = append(files, file)
			}
		}
		require.Greater(t, len(files), 300)
		out, err := exec.Command("xmllint", append([]string{"--nonet", "--noout", "--schema", schema}, files...)...).CombinedOutput()
		var faults []string
		for _, line := range strings.Split(string(out), "\n") {
			if line != "" && !strings.HasSuffix(line, " validates") {
				faults = append(faults, line)
			}
		}
		assert.NoError(t, err)
		assert.Empty(t, faults[:min(len(faults), 10)])
	}
}

func send(c *contract.Contract, path, contentType, action, body string) contract.Asked {
	r := &call.Request{Method: "POST", Header: call.Header{}, Body: call.Body{Bytes: []byte(body)}}
	if contentType != "" {
		r.Header["Content-Type"] = []string{contentType}
	}
	if action != "" {
		r.Header["Soapaction"] = []string{action}
	}
	return c.Protocol.Dispatch(r, strings.Split(strings.Trim(path, "/"), "/"))
}

func checkRequest(c *contract.Contract, asked *contract.Asked, contentType string) []call.Deviation {
	return c.Protocol.CheckRequest(asked, &match.Facts{Request: &call.Request{Header: call.Header{"Content-Type": {contentType}}}})
}

func envelope(version, body string) string {
	return fmt.Sprintf(`<e:Envelope xmlns:e=%q><e:Body>%s</e:Body></e:Envelope>`, map[string]string{"1.1": "http://schemas.xmlsoap.org/soap/envelope/", "1.2": "http://www.w3.org/2003/05/soap-envelope"}[version], body)
}

func TestDispatch(t *testing.T) {
	c := readFolder(t, constructs, "service.wsdl")
	for name, k := range map[string]struct{ path, action, body, operation, fault string }{
		"by the element":            {"/", "", envelope("1.1", `<oneWay:token xmlns:oneWay="urn:skerry:types">a</oneWay:token>`), "oneWay", ""},
		"at its port":               {"/Literal", `""`, envelope("1.1", `<token xmlns="urn:skerry:types">a</token>`), "oneWay", ""},
		"by the action":             {"/Rpc", `"urn:byCount"`, envelope("1.2", `<berths xmlns="urn:skerry:calls"/>`), "berths-2", ""},
		"where the contract has it": {"/rpc", `"urn:byCount"`, envelope("1.2", `<berths xmlns="urn:skerry:calls"/>`), "berths-2", ""},
		"no such port":              {"/Litera", "", "", "", `There is no port "Litera" (Literal, Rpc, Encoded).`},
		"the version of another":    {"/Literal", "", envelope("1.2", ``), "", "Port Literal speaks SOAP 1.1, and the envelope is of SOAP 1.2."},
		"a slip of the pen":         {"/", "", envelope("1.1", `<tokn xmlns="urn:skerry:types"/>`), "", "No operation takes <tokn>. Closest is operation oneWay, which takes <token>."},
		"another namespace":         {"/", "", envelope("1.1", `<token/>`), "oneWay", ""},
		"another action":            {"/", "urn:other", envelope("1.1", `<i:inline xmlns:i="urn:skerry:inline"/>`), "", `The action is "urn:other"; operation inline, which takes <inline>, expects "urn:inline".`},
		"no XML":                    {"/", "", `{"a": 1}`, "", "The body is not XML"},
		"no envelope":               {"/", "", `<token/>`, "", "<token> is no SOAP envelope."},
		"another envelope":          {"/", "", `<Envelope xmlns="urn:x"/>`, "", `The envelope's namespace "urn:x" is neither`},
		"no body":                   {"/", "", `<Envelope xmlns="http://schemas.xmlsoap.org/soap/envelope/"/>`, "", "The envelope has no Body."},
		"a declaration":             {"/", "", `<!DOCTYPE a><a/>`, "", "document type declarations are refused"},
		"must be understood": {"/", "", `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Header><x e:mustUnderstand="1"/></e:Header><e:Body><token xmlns="urn:skerry:types"/></e:Body></e:Envelope>`,
			"oneWay", ""},
		"is understood": {"/", "", `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Header><t:token xmlns:t="urn:skerry:types" e:mustUnderstand="1">a</t:token></e:Header><e:Body><everything xmlns="urn:skerry:types"/></e:Body></e:Envelope>`,
			"everything", ""},
	} {
		t.Run(name, func(t *testing.T) {
			m := send(c, k.path, "text/xml", k.action, k.body)
			if k.operation != "" {
				require.NotNil(t, m.Operation, "%+v", m.Fault)
				assert.Equal(t, k.operation, m.Operation.ID)
			}
			if k.fault == "" {
				assert.Nil(t, m.Fault)
			} else if assert.NotNil(t, m.Fault) {
				assert.Contains(t, m.Fault.Text, k.fault)
			}
		})
	}
	m := send(c, "/Rpc", `application/soap+xml; charset=utf-8; action="urn:byPier"`, "", envelope("1.2", `<berths xmlns="urn:skerry:calls"/>`))
	assert.Equal(t, "berths", m.Operation.ID, "the action of 1.2 stands in the media type")
}

func TestRequestsAreHeldAgainstTheSchema(t *testing.T) {
	c := readFolder(t, demo, "customs.wsdl")
	const vessel = `<vessel><name>Tern</name><callSign>SKA01</callSign></vessel><arrival>2026-12-01T10:00:00Z</arrival>`
	const item = `<cargo line="1"><kind>fish</kind><description>d</description><pieces>3</pieces><weight>2.5</weight></cargo>`
	for name, k := range map[string]struct {
		inside string
		want   []string
	}{
		"all is well":     {vessel + item, nil},
		"derived":         {vessel + `<cargo xsi:type="c:ChilledCargo" line="1"><kind>fish</kind><description>d</description><pieces>3</pieces><weight>2.5</weight><degrees>-4</degrees></cargo>`, nil},
		"no such type":    {vessel + strings.Replace(item, "<cargo", `<cargo xsi:type="c:Nope"`, 1), []string{`body /submitManifest/cargo: xsi:type "c:Nope" is not a type of the contract`}},
		"another type":    {vessel + strings.Replace(item, "<cargo", `<cargo xsi:type="c:Hold"`, 1), []string{`is not derived from CargoItem`}},
		"a value":         {vessel + strings.Replace(item, "fish", "gold", 1), []string{`body /submitManifest/cargo/kind: "gold" is not one of timber, fish, machinery, mail`}},
		"a pattern":       {strings.Replace(vessel, "SKA01", "SK1", 1) + item, []string{`body /submitManifest/vessel/callSign: "SK1" does not fit the pattern`}},
		"a number":        {vessel + strings.Replace(item, ">3<", ">many<", 1), []string{`"many" is not a valid integer`}},
		"a range":         {vessel + strings.Replace(item, ">3<", ">401<", 1), []string{`401 is above what is allowed, 400`}},
		"digits":          {vessel + strings.Replace(item, ">2.5<", ">2.55<", 1), []string{`2.55 has more than 1 digits after the point`}},
		"an attribute":    {vessel + strings.Replace(item, `line="1"`, ``, 1), []string{`attribute line is required and missing`}},
		"one too many":    {vessel + strings.Replace(item, `line="1"`, `line="1" odd="2"`, 1), []string{`attribute odd is not expected`}},
		"something else":  {vessel + `<crane/>` + item, []string{`body /submitManifest/crane: <crane> is not expected here; expected is <cargo>`}},
		"too little":      {vessel, []string{`body /submitManifest: <submitManifest> is not complete; expected is <cargo>`}},
		"too much":        {vessel + item + `<remark>a</remark><remark>b</remark>`, []string{`body /submitManifest/remark[2]: <remark> is not expected here; expected is nothing more`}},
		"text":            {"words" + vessel + item, []string{`text "words" is not expected among elements`}},
		"nil":             {vessel + item + `<remark xsi:nil="true"/>`, []string{`<remark> must not be nil`}},
		"elements inside": {vessel + strings.Replace(item, ">d<", "><b/><", 1), []string{`<b> is not expected: <description> holds only text`}},
	} {
		t.Run(name, func(t *testing.T) {
			body := `<submitManifest xmlns="https://customs.skerry-sound.example/cargo" xmlns:c="https://customs.skerry-sound.example/cargo" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">` + k.inside + `</submitManifest>`
			m := send(c, "/Desk", "text/xml; charset=utf-8", "", envelope("1.1", body))
			require.NotNil(t, m.Operation, "%+v", m.Fault)
			found := checkRequest(c, &m, "text/xml")
			if assert.Len(t, found, len(k.want), "%v", found) && len(k.want) > 0 {
				assert.Contains(t, found[0].Where+": "+found[0].Detail, k.want[0])
			}
		})
	}
	m := send(c, "/", "application/json", "", envelope("1.1", `<askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-1234-AB</manifest></askClearance>`))
	assert.Equal(t, []call.Deviation{{Side: "request", Where: "media type", Detail: `"application/json" is not text/xml`}}, checkRequest(c, &m, "application/json"))
}

func TestTheContractIsServedWithOurAddresses(t *testing.T) {
	c := readFolder(t, constructs, "service.wsdl")
	publisher := c.Protocol.(contract.Publisher)
	published, ok := publisher.Publish("wsdl", "http://127.0.0.1:7401/things?")
	require.True(t, ok)
	text := published.Body
	for _, want := range []string{`<soap:address location="http://127.0.0.1:7401/things?/Literal"/>`, `<soap12:address location="http://127.0.0.1:7401/things?/Rpc"/>`,
		`location="http://127.0.0.1:7401/things??wsdl=parts%2Fmessages.wsdl"`, `schemaLocation="http://127.0.0.1:7401/things??xsd=types.xsd"`} {
		assert.Contains(t, string(text), want)
	}
	again, err := xmltree.Parse(text)
	require.NoError(t, err)
	assert.Equal(t, "definitions", again.Name.Local)
	schema, ok := publisher.Publish("xsd=types.xsd", "http://x")
	require.True(t, ok)
	assert.Contains(t, string(schema.Body), `schemaLocation="http://x?xsd=parts%2Fother.xsd"`)
	for _, query := range []string{"", "xsd", "xsd=none.xsd", "xsd=../x", "wsdl=%zz", "other"} {
		_, ok := publisher.Publish(query, "http://x")
		assert.False(t, ok, query)
	}
}

func TestUnusableContractsSayWhere(t *testing.T) {
	for text, want := range map[string]string{
		`<definitions`: "c.wsdl:1:",
		`<schema xmlns="http://schemas.xmlsoap.org/wsdl/"/>`:                                              "c.wsdl:1:1: a WSDL contract is <definitions>, not <schema>",
		`<definitions xmlns="http://schemas.xmlsoap.org/wsdl/"/>`:                                         "no port of it speaks SOAP",
		`<!DOCTYPE x><definitions xmlns="http://schemas.xmlsoap.org/wsdl/"/>`:                             "document type declarations are refused",
		`<definitions xmlns="http://schemas.xmlsoap.org/wsdl/"><import location="x.wsdl"/></definitions>`: `refers to "x.wsdl", which is not among the imported files`,
	} {
		_, err := wsdl.Read(&bundle.Bundle{Main: "c.wsdl", Files: []bundle.File{{Name: "c.wsdl", Text: []byte(text)}}})
		assert.ErrorContains(t, err, want, text)
	}
}

func TestRevisionsAreCompared(t *testing.T) {
	older := readFolder(t, demo, "customs.wsdl")
	b := &bundle.Bundle{Main: "customs.wsdl"}
	for _, name := range []string{"customs.wsdl", "schemas/cargo.xsd", "schemas/codes.xsd"} {
		text, err := os.ReadFile(filepath.Join(demo, name))
		require.NoError(t, err)
		changed := strings.NewReplacer(`<xs:enumeration value="mail"/>`, "", `<xs:element name="remark" type="xs:string" minOccurs="0"/>`, `<xs:element name="remark" type="xs:string"/>`,
			`name="listHolds"`, `name="listAll"`, `element="c:listHolds"`, `element="c:listAll"`).Replace(string(text))
		b.Files = append(b.Files, bundle.File{Name: name, Text: []byte(changed)})
	}
	newer, err := wsdl.Read(b)
	require.NoError(t, err)
	changes := contract.Compare(older, newer)
	require.Len(t, changes.Added, 1)
	assert.Equal(t, "listAll at /Desk", changes.Added[0].String())
	assert.Equal(t, "listHolds at /Desk", changes.Removed[0].String())
	require.Len(t, changes.Changed, 1)
	var lines []string
	for _, d := range changes.Changed[0].Differences {
		lines = append(lines, d.Where+" "+d.What)
	}
	assert.ElementsMatch(t, []string{"request, submitManifest, remark, occurs removed", `request, submitManifest, cargo, kind, enum mail removed`}, lines)
	assert.Empty(t, contract.Compare(older, readFolder(t, demo, "customs.wsdl")).Changed)
}

func FuzzDispatch(f *testing.F) {
	c := readFolder(f, demo, "customs.wsdl")
	f.Add(envelope("1.1", `<askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-1234-AB</manifest></askClearance>`))
	f.Fuzz(func(_ *testing.T, text string) {
		m := send(c, "/", "text/xml", "", text)
		if m.Operation != nil {
			checkRequest(c, &m, "text/xml")
			_, _ = c.Protocol.Answer(&m, contract.Wanted{Echo: &match.Facts{}, Draw: func() *sample.Draw { return sample.NewDraw(1, "", 0) }})
		}
	})
}

func FuzzRead(f *testing.F) {
	text, err := os.ReadFile(demo + "/customs.wsdl")
	require.NoError(f, err)
	schema, err := os.ReadFile(demo + "/schemas/cargo.xsd")
	require.NoError(f, err)
	f.Add(string(text), string(schema))
	f.Fuzz(func(_ *testing.T, text, schema string) {
		_, _ = wsdl.Read(&bundle.Bundle{Main: "c.wsdl", Files: []bundle.File{{Name: "c.wsdl", Text: []byte(text)}, {Name: "schemas/cargo.xsd", Text: []byte(schema)}}})
	})
}

// An answer that is certain to obey is not held against its schema; where another element could be drawn in
// place of the one in the body, it is.
func TestAnswersHaveTheElementOfTheirMessage(t *testing.T) {
	c := readText(t, desk, `<xs:element name="berth"><xs:complexType><xs:sequence><xs:element name="depth" type="xs:int"/><xs:element name="pier" type="xs:string"/></xs:sequence></xs:complexType></xs:element>`,
		`<xs:element name="berth" type="xs:int"/><xs:element name="mooring" type="xs:int" substitutionGroup="t:berth"/>`)
	asked := &contract.Asked{Operation: operation(t, c, "ask")}
	for n := range uint64(100) {
		b, err := c.Protocol.Answer(asked, contract.Wanted{Draw: func() *sample.Draw { return sample.NewDraw(1, "x", n) }})
		require.NoError(t, err)
		assert.Empty(t, b.Invalid)
		assert.Contains(t, string(b.Answer.Body), "berth>")
		require.True(t, b.Answer.IsProven())
		b.Answer.Body = bytes.Replace(b.Answer.Body, []byte("berth>"), []byte("pier>"), 1)
		assert.NotEmpty(t, c.Protocol.CheckAnswer(asked.Operation, &b.Answer, true, nil), "another body is looked at")
	}
}
