package collection

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// soap is a contract in SOAP with elements and types of its schema, and operations of which each
// takes the element of its name and answers with the one whose name ends in Response, if there is
// such one.
func soap(t testing.TB, schema string, operations ...string) *contract.Contract {
	t.Helper()
	var messages, ports, bound strings.Builder
	for _, op := range operations {
		fmt.Fprintf(&messages, `<message name="%[1]s"><part name="p" element="t:%[1]s"/></message><message name="%[1]sResponse"><part name="p" element="t:%[1]sResponse"/></message>`, op)
		output, answer := "", ""
		if strings.Contains(schema, `"`+op+`Response"`) {
			output, answer = `<output message="t:`+op+`Response"/>`, `<output><s:body use="literal"/></output>`
		}
		fmt.Fprintf(&ports, `<operation name="%s"><input message="t:%s"/>%s</operation>`, op, op, output)
		fmt.Fprintf(&bound, `<operation name="%s"><s:operation soapAction=""/><input><s:body use="literal"/></input>%s</operation>`, op, answer)
	}
	b, err := bundle.Open([]byte(`<definitions targetNamespace="urn:t" xmlns:t="urn:t" xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:s="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:x="http://www.w3.org/2001/XMLSchema">
<types><x:schema targetNamespace="urn:t" elementFormDefault="qualified">`+schema+`</x:schema></types>`+messages.String()+`<portType name="p">`+ports.String()+`</portType>
<binding name="b" type="t:p"><s:binding transport="http://schemas.xmlsoap.org/soap/http"/>`+bound.String()+`</binding><service name="v"><port name="q" binding="t:b"><s:address location="http://pilots.example/"/></port></service></definitions>`), "", wsdl.IsContract)
	require.NoError(t, err)
	c, err := wsdl.Read(b)
	require.NoError(t, err)
	return c
}

// holding is an element that holds others; each is its name and its type, with what else is to be
// said of it after a blank.
func holding(name string, elements ...string) string {
	var b strings.Builder
	fmt.Fprintf(&b, `<x:element name="%s"><x:complexType><x:sequence>`, name)
	for _, e := range elements {
		name, of, _ := strings.Cut(e, " ")
		of, more, _ := strings.Cut(of, " ")
		fmt.Fprintf(&b, `<x:element name="%s" type="%s" %s/>`, name, of, more)
	}
	return b.String() + `</x:sequence></x:complexType></x:element>`
}

const pilot = `<x:complexType name="Pilot"><x:sequence><x:element name="licence" type="t:Licence"/><x:element name="name" type="x:string"/><x:element name="tonnage" type="x:decimal" minOccurs="0"/>
<x:element name="registered" type="x:dateTime" minOccurs="0"/><x:element name="harbours" type="x:string" minOccurs="0" maxOccurs="unbounded"/></x:sequence><x:attribute name="rank" type="x:string"/></x:complexType>
<x:simpleType name="Licence"><x:restriction base="x:string"><x:pattern value="P-[0-9]{3}"/></x:restriction></x:simpleType>`

const many = `minOccurs="0" maxOccurs="unbounded"`

// pilots is a contract as most programs make them.
func pilots(t testing.TB) *contract.Contract {
	return soap(t, pilot+
		holding("addPilot", "pilot t:Pilot")+holding("addPilotResponse", "licence t:Licence", "accepted x:boolean")+
		holding("getPilot", "licence t:Licence")+holding("getPilotResponse", "pilot t:Pilot")+
		holding("listPilots", `rank x:string minOccurs="0"`, `limit x:int minOccurs="0"`, `name x:string minOccurs="0"`)+holding("listPilotsResponse", "total x:int", "pilot t:Pilot "+many)+
		holding("updatePilot", "pilot t:Pilot")+holding("updatePilotResponse", "pilot t:Pilot")+
		holding("changePilotName", "licence t:Licence", "name x:string")+holding("changePilotNameResponse", "done x:boolean")+
		holding("removePilot", "licence t:Licence")+
		holding("sound")+holding("soundResponse", "depth x:int"),
		"addPilot", "getPilot", "listPilots", "updatePilot", "changePilotName", "removePilot", "sound")
}

func TestFindInMessages(t *testing.T) {
	result := func(op, of string) string {
		return holding(op+"Response", op+"Result "+of)
	}
	for name, k := range map[string]struct {
		contract *contract.Contract
		memory   spec.Memory
		want     string
	}{
		"as most programs make them": {pilots(t), spec.Memory{}, "pilots by licence; addPilot create; getPilot read in pilot; listPilots list in pilot; removePilot remove; updatePilot replace in pilot; changePilotName change\n" +
			"sound: its name says neither create, read, list, change nor remove\n"},
		"each in a result, and keys that are named otherwise": {soap(t, `<x:complexType name="Pilot"><x:sequence><x:element name="ID" type="x:int"/><x:element name="Name" type="x:string"/></x:sequence></x:complexType><x:complexType name="ArrayOfPilot"><x:sequence><x:element name="Pilot" type="t:Pilot" `+many+`/></x:sequence></x:complexType>`+
			holding("CreatePilot", "pilot t:Pilot")+result("CreatePilot", "x:int")+holding("GetPilotById", "pilotId x:int")+result("GetPilotById", "t:Pilot")+
			holding("GetAllPilots")+result("GetAllPilots", "t:ArrayOfPilot")+holding("DeletePilot", "pilotId x:int")+result("DeletePilot", "x:boolean"),
			"CreatePilot", "GetPilotById", "GetAllPilots", "DeletePilot"), spec.Memory{},
			"pilots by ID; CreatePilot create; GetPilotById read in GetPilotByIdResult; GetAllPilots list in GetAllPilotsResult.Pilot; DeletePilot remove\n"},
		"the verb at the end, and arguments without a name": {soap(t, pilot+holding("pilotAdd", "arg0 t:Pilot")+holding("pilotAddResponse", "return t:Pilot")+holding("pilotFind", "arg0 t:Licence")+holding("pilotFindResponse", "return t:Pilot"), "pilotAdd", "pilotFind"), spec.Memory{},
			"pilots by licence; pilotAdd create in return; pilotFind read in return\n"},
		"nothing is written": {soap(t, pilot+holding("getPilot", "licence x:string")+holding("getPilotResponse", "pilot t:Pilot"), "getPilot"), spec.Memory{}, "getPilot: nothing is created, changed or removed here\n"},
		"nothing is read":    {soap(t, pilot+holding("addPilot", "pilot t:Pilot"), "addPilot"), spec.Memory{}, "addPilot: no operation reads or lists what it writes\n"},
		"nothing names an item": {soap(t, pilot+holding("addPilot", "pilot t:Pilot")+holding("getPilot", "near x:string", "far x:string")+holding("getPilotResponse", "pilot t:Pilot")+holding("listPilots")+holding("listPilotsResponse", "pilot t:Pilot "+many), "addPilot", "getPilot", "listPilots"), spec.Memory{},
			"pilots by ; addPilot create; listPilots list in pilot\ngetPilot: nothing in its message names an item of pilots\n"},
		"switched off": {soap(t, pilot+holding("addPilot", "pilot t:Pilot")+holding("listPilots")+holding("listPilotsResponse", "pilot t:Pilot "+many), "addPilot", "listPilots"), spec.Memory{Collections: map[string]spec.CollectionRule{"pilots": {Off: true}}},
			"addPilot: memory of pilots is off\nlistPilots: memory of pilots is off\n"},
		"what is told is not what is sent": {soap(t, pilot+holding("addPilot", "pilot t:Pilot")+holding("getPilot", "licence t:Licence")+holding("getPilotResponse", "licence t:Licence", "until x:date"), "addPilot", "getPilot"), spec.Memory{},
			"addPilot: no operation reads or lists what it writes\ngetPilot: its answer holds no item of pilots\n"},
		"pages, and several in a set": {soap(t, pilot+`<x:complexType name="Set"><x:sequence><x:element name="item" type="t:Pilot" `+many+`/></x:sequence></x:complexType>`+
			holding("registerPilot", "name x:string", "licence t:Licence")+holding("registerPilotResponse", "licence t:Licence")+holding("describePilots", `nextToken x:string minOccurs="0"`)+holding("describePilotsResponse", "request x:string", "pilotSet t:Set", `nextToken x:string minOccurs="0"`)+
			holding("deregisterPilot", "licence t:Licence"), "registerPilot", "describePilots", "deregisterPilot"), spec.Memory{},
			"pilots by licence; registerPilot create; describePilots list in pilotSet.item; deregisterPilot remove\n"},
		"said": {soap(t, pilot+holding("engage", "name x:string", "since x:dateTime")+holding("engageResponse", "number t:Licence", "until x:dateTime")+holding("ask", "number t:Licence")+holding("askResponse", "number t:Licence", "name x:string")+holding("part", "number t:Licence", "why x:string"), "engage", "ask", "part"),
			spec.Memory{Collections: map[string]spec.CollectionRule{"crew": {Operations: map[string]string{"create": "engage", "read": "ask", "remove": "part"}}}},
			"crew by number; engage create; ask read; part remove\n"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, k.want, understood(Find(k.contract.Operations, k.contract.Protocol, k.memory)))
		})
	}
}

// What is added is read, listed, changed and removed, by messages.
func TestMessages(t *testing.T) {
	c := pilots(t)
	plan, m := Find(c.Operations, c.Protocol, spec.Memory{}), &Memory{}
	documented := c.Protocol.(contract.Documented)
	ask := func(operation, inner string) Outcome {
		t.Helper()
		body := []byte(`<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><` + operation + ` xmlns="urn:t">` + inner + `</` + operation + `></e:Body></e:Envelope>`)
		asked := c.Protocol.Dispatch(&call.Request{Method: "POST", Header: call.Header{"Content-Type": {"text/xml"}}, Body: call.Body{Bytes: body, Size: int64(len(body))}}, []string{""})
		require.Nil(t, asked.Fault)
		require.NotNil(t, plan.Of(operation), operation)
		return m.Do(Space{Service: "s"}, Call{Role: plan.Of(operation), Body: documented.Request(&asked), Now: noon}, false)
	}
	text := func(operation string, out Outcome, built string) string {
		n, err := tree.ParseJSON([]byte(built))
		require.NoError(t, err)
		return string(plan.Of(operation).Body(&out, n).AppendJSON(nil))
	}
	out := ask("addPilot", `<pilot rank="first"><licence>P-007</licence><name>Ann</name><tonnage>+0500.50</tonnage><harbours>north</harbours></pilot>`)
	assert.Equal(t, `{"licence":"P-007","accepted":true}`, text("addPilot", out, `{"licence": "P-999", "accepted": false}`))
	assert.Equal(t, Conflict, ask("addPilot", `<pilot><licence>P-007</licence><name>Ann</name></pilot>`).Result)
	assert.Equal(t, `{"licence":"P-007","@rank":"first","name":"Ann","tonnage":500.50,"harbours":["north"]}`, string(ask("getPilot", `<licence>P-007</licence>`).Item.Value.AppendJSON(nil)))
	assert.Equal(t, Missing, ask("getPilot", `<licence>P-008</licence>`).Result)
	ask("addPilot", `<pilot><licence>P-009</licence><name>Bo</name></pilot>`)
	ask("updatePilot", `<pilot rank="second"><licence>P-009</licence><name>Bob</name></pilot>`)
	assert.Equal(t, `{"done":true}`, text("changePilotName", ask("changePilotName", `<licence>P-009</licence><name>Bobby</name>`), `{"done": false}`))
	for inner, want := range map[string]string{"": "P-007 P-009", `<rank>second</rank>`: "P-009", `<name>Ann</name>`: "P-007", `<limit>1</limit>`: "P-007"} {
		out, keys := ask("listPilots", inner), []string(nil)
		for _, item := range out.Items {
			keys = append(keys, item.Key)
		}
		assert.Equal(t, want, strings.Join(keys, " "), inner)
	}
	assert.Equal(t, `{"total":1,"pilot":[{"@rank":"second","licence":"P-009","name":"Bobby"}]}`, text("listPilots", ask("listPilots", `<name>Bobby</name>`), `{"total": 7, "pilot": []}`))
	assert.Equal(t, Done, ask("removePilot", `<licence>P-009</licence>`).Result)
	assert.Equal(t, Missing, ask("removePilot", `<licence>P-009</licence>`).Result)
}

func TestPurpose(t *testing.T) {
	for name, want := range map[string]string{
		"getPilot": "read pilot", "GetAllPilots": "list pilot", "getPilotList": "list pilot", "getPilotByLicence": "read pilot", "CreatePilotRequest": "create pilot",
		"pilot_delete": "remove pilot", "listIDs": "list id", "getCargoItemDetails": "read cargoitem", "changePilotName": "change pilotname", "ping": " ", "GetOSDs": "read osd",
	} {
		verb, one, _ := purpose(name)
		assert.Equal(t, want, string(verb)+" "+one, name)
	}
	for name, want := range map[string]string{"pilot": "pilots", "pilots": "pilots", "berth": "berths", "quay": "quays", "entry": "entries", "box": "boxes", "dish": "dishes"} {
		assert.Equal(t, want, plural(name))
	}
}

// A list of 10,000 items, with its envelope.
func BenchmarkListInMessages(b *testing.B) {
	c := pilots(b)
	plan, m, where := Find(c.Operations, c.Protocol, spec.Memory{}), &Memory{}, Space{Service: "s"}
	for i := range 10_000 {
		item, err := tree.ParseJSON(fmt.Appendf(nil, `{"licence": "P-%d", "name": "Ann", "tonnage": 500.5, "harbours": ["north", "south"]}`, i))
		require.NoError(b, err)
		m.Put(where, plan.Collections[0], item, "", nil)
	}
	role := plan.Of("listPilots")
	asked := contract.Asked{Operation: role.Operation}
	built, err := c.Protocol.Answer(&asked, contract.Wanted{Draw: func() *sample.Draw { return sample.NewDraw(1, "", 0) }})
	require.NoError(b, err)
	for b.Loop() {
		out := m.Do(where, Call{Role: role, Now: noon}, false)
		c.Protocol.(contract.Documented).Rewrite(&asked, built, func(answer *tree.Node) *tree.Node { return role.Body(&out, answer) })
	}
}

func BenchmarkFindInMessages(b *testing.B) {
	var schema strings.Builder
	var operations []string
	schema.WriteString(pilot)
	for i := range 400 {
		thing := strings.Repeat(string(rune('a'+i%26)), 1+i/26) + "pilot"
		for _, one := range [][2]string{{"add", "pilot t:Pilot"}, {"get", "licence t:Licence"}, {"remove", "licence t:Licence"}} {
			schema.WriteString(holding(one[0]+"_"+thing, one[1]))
			operations = append(operations, one[0]+"_"+thing)
		}
		schema.WriteString(holding("get_"+thing+"Response", "pilot t:Pilot"))
	}
	c := soap(b, schema.String(), operations...)
	for b.Loop() {
		if plan := Find(c.Operations, c.Protocol, spec.Memory{}); len(plan.Collections) != 400 {
			b.Fatal(len(plan.Collections), plan.Stateless[0])
		}
	}
}
