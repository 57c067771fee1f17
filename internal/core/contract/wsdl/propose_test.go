package wsdl_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/internal/core/sample"
)

// A contract that is made of messages takes these messages, and draws others of their kind.
func TestAContractOfMessages(t *testing.T) {
	const faults = `<e:Fault><faultcode>e:Server</faultcode><faultstring>no</faultstring><detail><closed xmlns="urn:harbour"><until>07:00</until></closed></detail></e:Fault>`
	messages := []wsdl.Heard{
		{"urn:ask", []byte(envelope("1.1", `<h:askRequest xmlns:h="urn:harbour"><h:berth>N7</h:berth><h:nights>3</h:nights></h:askRequest>`)),
			[]byte(envelope("1.1", `<h:askAnswer xmlns:h="urn:harbour" at="2026-12-01T10:00:00Z"><h:free>true</h:free><v:vessel xmlns:v="urn:vessels" flag="SK"><v:length>21.5</v:length></v:vessel><plain/></h:askAnswer>`))},
		{"urn:ask", []byte(envelope("1.2", `<h:askRequest xmlns:h="urn:harbour"><h:berth>N8</h:berth><h:berth>N9</h:berth><h:from>2026-12-01</h:from><h:nights>12</h:nights></h:askRequest>`)),
			[]byte(envelope("1.2", `<h:askAnswer xmlns:h="urn:harbour"><h:free>false</h:free></h:askAnswer>`))},
		{"urn:ask", []byte(envelope("1.1", `<h:askRequest xmlns:h="urn:harbour"><h:berth>N7</h:berth><h:nights>1</h:nights></h:askRequest>`)), []byte(envelope("1.1", faults))},
		{"", []byte(envelope("1.1", `<tell xmlns="urn:harbour">007</tell>`)), nil},
		{"", []byte("no message"), nil},
	}
	text, ok := wsdl.Propose("desk", "http://real.example/desk", messages)
	require.True(t, ok)
	c := readText(t, string(text))
	require.Empty(t, c.Warnings)
	var told []string
	for _, op := range c.Operations {
		told = append(told, op.ID)
		for _, m := range append(op.Body.MediaTypes, op.Success.MediaTypes...) {
			for _, f := range m.Fields() {
				line := f.Path + " " + f.Type
				if f.Required {
					line += "!"
				}
				told = append(told, strings.Join(append([]string{line}, f.Rules...), ", "))
			}
		}
		assert.Equal(t, map[string][]string{"ask": {"closed"}}[op.ID], op.ExampleNames())
	}
	assert.Equal(t, []string{"ask", "berth string!, any number of times", "from date", "nights integer!",
		"@at dateTime", "free boolean!", "vessel element", "vessel/@flag string!", "vessel/length decimal!", "plain string", "tell", "tell string!"}, told)
	for i, m := range messages[:4] {
		kind := map[bool]string{true: "application/soap+xml", false: "text/xml"}[i == 1]
		asked := send(c, "/", kind, "", string(m.Request))
		require.NotNil(t, asked.Operation, "%+v", asked.Fault)
		assert.Empty(t, checkRequest(c, &asked, kind))
		if len(m.Answer) > 0 {
			assert.Empty(t, c.Protocol.CheckAnswer(asked.Operation, &call.Answer{Status: 200, Body: m.Answer}, true, nil), "%s", text)
		}
		b, err := c.Protocol.Answer(&asked, contract.Wanted{Draw: func() *sample.Draw { return draw() }})
		require.NoError(t, err)
		assert.Empty(t, b.Invalid)
	}
	_, ok = wsdl.Propose("desk", "", messages[4:])
	assert.False(t, ok)
}
