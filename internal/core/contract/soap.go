package contract

import (
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/sample"
	"rapidmimic/internal/core/xmltree"
)

// SOAP is what a contract has whose operations share addresses: the message
// tells which one is meant. It is safe for concurrent use.
type SOAP interface {
	// Dispatch finds the operation that a message is for. segments are those of
	// the path relative to the service: none, or the name of a port.
	Dispatch(segments []string, r *call.Request) Message
	// Served returns a document of the contract by the query of its address,
	// such as "wsdl" or "xsd=customs.xsd", with addresses that begin with base.
	// ok is false when the query asks for none.
	Served(query, base string) (text []byte, ok bool)
	// Fault writes a fault of our own, in the version of a message.
	Fault(m *Message, f SOAPFault) call.Answer
	// FaultWith writes a fault whose detail is XML. It is put in as text where it
	// is none.
	FaultWith(m *Message, code, text, detail string) call.Answer
	// Wrap puts XML into an envelope of the message's version, unless it is one.
	Wrap(m *Message, xml string) (body []byte, contentType string)
	// Ports are the names of the ports that answer.
	Ports() []string
}

// Message is a SOAP message as it was received.
type Message struct {
	// Operation is nil when none was found; then Fault says why.
	Operation *Operation
	Fault     *SOAPFault
	// Version is the version of SOAP, 11 or 12.
	Version  int
	Envelope *xmltree.Node // nil when it is none
	Body     *xmltree.Node
	Header   *xmltree.Node
	// Reason says how the operation was found.
	Reason string
}

// SOAPFault is a fault that comes from us.
type SOAPFault struct {
	// Code is Client, Server, MustUnderstand or VersionMismatch; it is written in
	// the words of the version.
	Code, Text string
	// Detail are further lines.
	Detail []string
}

// SOAPOperation is what an operation of SOAP can do.
type SOAPOperation interface {
	// Answer makes the answer to a message: the response, or the declared fault
	// of this name.
	Answer(m *Message, fault string, echo bool, draw *sample.Draw) SOAPAnswer
	// Try makes a request in a version of SOAP.
	Try(version int, draw *sample.Draw) call.Request
	CheckRequest(m *Message, contentType string) []call.Deviation
	CheckAnswer(a *call.Answer) []call.Deviation
	// OneWay reports whether nothing is answered.
	OneWay() bool
}

// SOAPAnswer is an answer with what it was made from.
type SOAPAnswer struct {
	Answer  call.Answer
	Echoed  []string // the elements that took the caller's values
	Invalid string   // why what was drawn does not obey the schema; "" when it does
}
