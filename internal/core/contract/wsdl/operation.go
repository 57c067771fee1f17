package wsdl

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// operation is one operation of a port type, in one style. Ports that bind it
// alike share it.
type operation struct {
	name, action, summary string
	rpc                   bool
	input, output         *message // nil when there is none
	addressed             bool     // the contract demands WS-Addressing
	packaged              bool     // it demands MTOM
	faults                []declaredFault

	id      string
	service *service
	path    string // of the first port, and
	version int    // its version of SOAP
}

type message struct {
	name    string         // that it has in the contract
	action  string         // by WS-Addressing
	body    []*xsd.Element // what the body holds, usually one
	headers []header
	encoded bool

	attachments []attachment
}

type header struct {
	message name
	part    string
	element *xsd.Element
}

type declaredFault struct {
	name    string
	detail  *xsd.Element
	summary string
	action  string // by WS-Addressing
	// inHeader is set on faults that a header of the request caused.
	inHeader bool
}

// oneWay reports whether nothing is answered.
func (o *operation) oneWay() bool { return o.output == nil }

// answer makes the answer to a message: the response, or the declared fault of this
// name. held are the ways to elements of the response that must be there.
func (o *operation) answer(m *received, fault string, echo bool, held [][]string, draw *sample.Draw) (b contract.Built) {
	version := m.version()
	for _, f := range o.faults {
		if f.name == fault {
			return contract.Built{Answer: o.faultAnswer(m, f, draw), Fault: fault}
		}
	}
	if o.oneWay() {
		return contract.Built{Answer: call.Answer{Status: 202}}
	}
	echo = echo && m.body != nil && !m.encrypted()
	if len(held) == 0 && addressingOf(m) == nil && o.plain() {
		if b, whole := o.written(m, echo, draw); whole {
			return b
		}
	}
	envelope, invalid := o.envelope(version, o.output, held, draw)
	b.Invalid = invalid
	if echo {
		b.Echoed = o.echo(envelope, m.body)
	}
	m.address(envelope, o.output.action, false)
	o.output.attach(bodyOf(envelope), o.service.generator(draw))
	b.Answer = answer(version, 200, envelope)
	if invalid == "" && !o.attaches(o.output) {
		b.Answer.Proven = b.Answer.Body
	}
	return b
}

// plain reports whether an answer can be written while it is drawn: all of it is certain to obey, or is not held
// against anything, and nothing has to be done to it afterwards.
func (o *operation) plain() bool {
	return !o.attaches(o.output) && (o.output.encoded || !slices.ContainsFunc(o.output.body, func(e *xsd.Element) bool { return !o.certain(e) }))
}

// certain reports whether what is drawn for an element of a body obeys: another one may stand in its place, which is
// not expected there.
func (o *operation) certain(e *xsd.Element) bool {
	return len(e.Substitutes) == 0 && o.service.schemas.Certain(e)
}

// written draws an answer that is plain straight into its text; whole is false where it came out too large.
func (o *operation) written(m *received, echo bool, draw *sample.Draw) (b contract.Built, whole bool) {
	g := o.service.generator(draw)
	var given map[string]string
	if echo {
		given = textsOf(m.body)
	}
	b.Answer = answerOf(m.version(), 200, xmltree.Write(func(w *xmltree.Writer) { o.output.draw(w, g, m.version(), nil, given) }))
	b.Answer.Proven, b.Echoed = b.Answer.Body, g.Taken
	return b, o.output.encoded || g.Whole()
}

// draw draws an envelope with the message. held are the ways to elements of its first element that must be there,
// given the texts that elements of the body have if they can.
func (m *message) draw(to xmltree.Sink, g *xsd.Generator, version int, held [][]string, given map[string]string) {
	space := envelopeSpace(version)
	g.Encoded = m.encoded
	to.Open(name{Space: space, Local: "Envelope"})
	if len(m.headers) > 0 {
		to.Open(name{Space: space, Local: "Header"})
		for _, h := range m.headers {
			g.Write(to, h.element)
		}
		to.Close()
	}
	to.Open(name{Space: space, Local: "Body"})
	if m.encoded && version == 11 {
		to.Attribute(name{Space: space1, Local: "encodingStyle"}, xsd.Encoding)
	}
	g.Held, g.Given = held, given
	for _, e := range m.body {
		g.Write(to, e)
		g.Held = nil
	}
	to.Close()
	to.Close()
}

// attempts bounds how often a message is drawn again until it is valid.
const attempts = 8

// envelope draws a message, in whose first element the held ways are there. invalid says why the last draw
// does not obey, "" when it does.
func (o *operation) envelope(version int, m *message, held [][]string, draw *sample.Draw) (envelope *xmltree.Node, invalid string) {
	certain := len(held) == 0 && !slices.ContainsFunc(m.body, func(e *xsd.Element) bool { return !o.certain(e) })
	for range attempts {
		var b xmltree.Builder
		g := o.service.generator(draw)
		m.draw(&b, g, version, held, nil)
		if envelope = b.Root(); m.encoded || certain && g.Whole() {
			return envelope, "" // order and types of encoded messages are not held against anything
		}
		faults := o.bodyFaults(bodyOf(envelope), m)
		if len(faults) == 0 {
			return envelope, ""
		}
		invalid = faults[0].Node.Path() + ": " + faults[0].Detail
	}
	return envelope, invalid
}

func (o *operation) bodyFaults(body *xmltree.Node, m *message) []xsd.Fault {
	var faults []xsd.Fault
	for i, c := range body.Children {
		if i < len(m.body) && c.Name == m.body[i].Name {
			faults = append(faults, o.service.schemas.Validate(c, m.body[i])...)
		} else if i < len(m.body) && c.Name.Local == m.body[i].Name.Local {
			faults = append(faults, xsd.Fault{Node: c, Detail: fmt.Sprintf("<%s> is in the namespace %q, not in %q", c.Name.Local, c.Name.Space, m.body[i].Name.Space)})
			if o.rpc { // whose parts are in no namespace
				faults = append(faults, o.service.schemas.Validate(c, m.body[i])...)
			}
		} else {
			faults = append(faults, xsd.Fault{Node: c, Detail: fmt.Sprintf("<%s> is not expected in the body of %s", c.Name.Local, o.name)})
		}
	}
	if len(body.Children) < len(m.body) {
		faults = append(faults, xsd.Fault{Node: body, Detail: fmt.Sprintf("<%s> is missing", m.body[len(body.Children)].Name.Local)})
	}
	return faults
}

func (o *operation) faultAnswer(m *received, f declaredFault, draw *sample.Draw) call.Answer {
	version := m.version()
	g := o.service.generator(draw)
	text := f.summary
	if text == "" {
		text = "fault " + f.name + " of operation " + o.name
	}
	if f.inHeader {
		envelope := plainFault("Client", text).envelope(version)
		headerOf(envelope).Add(g.Element(f.detail))
		m.address(envelope, f.action, true)
		return answer(version, 500, envelope)
	}
	envelope := plainFault("Server", text, g.Element(f.detail)).envelope(version)
	m.address(envelope, f.action, true)
	return answer(version, 500, envelope)
}

// actionOfFault is the action of the declared fault that has a detail; "" for none. o may be nil.
func (o *operation) actionOfFault(details []*xmltree.Node) string {
	if o == nil || len(details) == 0 {
		return ""
	}
	for _, f := range o.faults {
		if f.detail.Name == details[0].Name {
			return f.action
		}
	}
	return ""
}

// textsOf are the texts of the elements in a message that have no others in them, by their local names; "" where there
// are several, of which none is meant.
func textsOf(message *xmltree.Node) map[string]string {
	texts := make(map[string]string)
	leaves(message, func(n *xmltree.Node) {
		_, twice := texts[n.Name.Local]
		if texts[n.Name.Local] = n.Text; twice {
			texts[n.Name.Local] = ""
		}
	})
	return texts
}

// echo gives elements of an answer that hold only text the value that the
// caller gave an element of the same name, where that is the only one and the
// answer still obeys.
func (o *operation) echo(envelope, request *xmltree.Node) (echoed []string) {
	theirs, body := textsOf(request), bodyOf(envelope)
	leaves(body, func(n *xmltree.Node) {
		text := theirs[n.Name.Local]
		delete(theirs, n.Name.Local) // the first one counts
		if text == n.Text || text == "" {
			return
		}
		before := n.Text
		n.Text = text
		if len(o.bodyFaults(body, o.output)) > 0 && !o.output.encoded {
			n.Text = before
			return
		}
		echoed = append(echoed, n.Name.Local)
	})
	return echoed
}

func leaves(n *xmltree.Node, visit func(*xmltree.Node)) {
	if len(n.Children) == 0 && n.QName == nil {
		visit(n)
	}
	for _, c := range n.Children {
		leaves(c, visit)
	}
}

// tried draws a request in a version of SOAP.
func (o *operation) tried(version int, draw *sample.Draw) *xmltree.Node {
	input := o.input
	if input == nil { // it is asked by nobody, as the contract has it
		input = &message{}
	}
	envelope, _ := o.envelope(version, input, nil, draw)
	o.addressedTry(envelope, draw)
	input.attach(bodyOf(envelope), o.service.generator(draw))
	return envelope
}

// try makes a request in a version of SOAP.
func (o *operation) try(version int, draw *sample.Draw) call.Request {
	envelope, contentType := o.tried(version, draw), mediaType(version)
	if version == 12 && o.action != "" {
		contentType += `; action="` + o.action + `"`
	}
	body := envelope.Document()
	if o.input != nil && o.attaches(o.input) {
		parts := o.beside(o.input, bodyOf(envelope), nil, draw)
		for i := range parts {
			parts[i].AsText = !utf8.Valid(parts[i].Content)
		}
		if of, packed, err := related(envelope, contentType, parts, false); err == nil && len(parts) > 0 {
			contentType, body = of, packed
		}
	}
	r := call.Request{Method: "POST", Address: o.path, Path: o.path, Header: call.Header{"Content-Type": {contentType}},
		Body: call.Body{Bytes: body, Size: int64(len(body))}}
	if version == 11 {
		r.Header["Soapaction"] = []string{`"` + o.action + `"`}
	}
	return r
}

func (o *operation) checkRequest(m *received, r *call.Request, notUnderstood []*xmltree.Node) (found []call.Deviation) {
	add := func(where, detail string) {
		if len(found) < call.MaxDeviations {
			found = append(found, call.Deviation{Side: call.OfRequest, Where: where, Detail: detail})
		}
	}
	contentType := r.Header.Get("Content-Type")
	if expected := call.BaseType(mediaType(m.version())); call.BaseType(messageType(contentType)) != expected {
		add("media type", fmt.Sprintf("%q is not %s", messageType(contentType), expected))
	}
	for _, h := range notUnderstood {
		add("header "+h.Name.Local, fmt.Sprintf("it must be understood, and operation %s declares no such header", o.name))
	}
	if o.input == nil || m.body == nil {
		return found
	}
	o.addressingFaults(m, add)
	if !r.Body.Truncated {
		o.attachmentFaults(o.input, m.body, contentType, match.Uncoded(r), add)
	}
	if o.input.encoded || m.encrypted() {
		return found
	}
	for _, f := range o.bodyFaults(m.body, o.input) {
		add(placeOf(f.Node), f.Detail)
	}
	for _, h := range o.input.headers {
		if given := m.header.Child(h.element.Name.Space, h.element.Name.Local); given != nil {
			for _, f := range o.service.schemas.Validate(given, h.element) {
				add(placeOf(f.Node), f.Detail)
			}
		}
	}
	return found
}

// placeOf names a place in a message without the envelope around it.
func placeOf(n *xmltree.Node) string {
	return "body " + strings.TrimPrefix(strings.TrimPrefix(n.Path(), "/Envelope"), "/Body")
}

func (o *operation) checkAnswer(a *call.Answer) (found []call.Deviation) {
	if a.IsProven() && a.Status == 200 {
		return nil
	}
	add := func(where, detail string) {
		if len(found) < call.MaxDeviations {
			found = append(found, call.Deviation{Side: call.OfAnswer, Where: where, Detail: detail})
		}
	}
	if o.oneWay() {
		if len(a.Body) > 0 && a.Status < 300 {
			add("body", "a one-way operation answers nothing")
		}
		return found
	}
	root, err := xmltree.Parse(match.PlainAnswer(a))
	if err != nil {
		add("body", "it is not XML: "+err.Error())
		return found
	}
	body := bodyOf(root)
	if body == nil || versionOf(root) == 0 {
		add("body", fmt.Sprintf("<%s> is no SOAP envelope", root.Name.Local))
		return found
	}
	if fault := body.Child(root.Name.Space, "Fault"); fault != nil {
		o.checkFault(fault, add)
		return found
	}
	if a.Status != 200 {
		add("status", fmt.Sprintf("%d with a response; 200 is expected", a.Status))
	}
	o.attachmentFaults(o.output, body, a.Get("Content-Type"), a.Body, add)
	if !o.output.encoded {
		for _, f := range o.bodyFaults(body, o.output) {
			add(placeOf(f.Node), f.Detail)
		}
	}
	return found
}

// checkFault holds the detail of a fault against the declared ones. Faults
// without a detail are those of the machinery, and may always come.
func (o *operation) checkFault(fault *xmltree.Node, add func(where, detail string)) {
	detail := detailOf(fault)
	if detail == nil {
		return
	}
	for _, c := range detail.Children {
		known := false
		for _, f := range o.faults {
			if f.detail.Name != c.Name {
				continue
			}
			known = true
			for _, found := range o.service.schemas.Validate(c, f.detail) {
				add(placeOf(found.Node), found.Detail)
			}
		}
		if !known && len(o.faults) > 0 {
			add(placeOf(c), fmt.Sprintf("<%s> is the detail of no fault that operation %s declares", c.Name.Local, o.name))
		}
	}
}
