package store

import (
	"encoding/binary"
	"errors"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
)

// A block is a run of calls that were written together, in one row: a row for each
// would cost more than all else that is done with a call. Its calls stand one behind
// the other in the order of their numbers, each told by what differs from the one
// before. Headers, bodies and explanations are contents elsewhere.

// blockVersion is the first byte of a block. Those of version 1 lack the last three texts, those
// before version 3 the last two numbers, those before version 4 the last text but one, those before
// version 5 the last number, those before version 6 the last text.
const blockVersion = 6

// callEntry is one call in a block.
type callEntry struct {
	number, at                                                 int64 // at in Unix microseconds
	service, method, path, query, source, by, operation        string
	injected                                                   string // kinds
	lane, scenario                                             string
	address, host, protocol, caller, agent, certificate, trace string
	status, deviations                                         int64
	read, decide, wait, ask, send                              time.Duration
	requestSize, answerSize                                    int64
	contents                                                   [partCount]int64 // ids, 0 for none
	environment, cause                                         int64
}

// The parts of a call that are kept as contents.
const (
	partExplanation = iota
	partRequestHeaders
	partRequestBody
	partAnswerHeaders
	partAnswerBody
	partDeviations
	partUpstream
	partInjected
	partCount
)

func entryOf(r *call.Record, contents [partCount]int64) callEntry {
	q, injected := &r.Request, ""
	if len(r.Injected) > 0 {
		injected = r.Summary().Injected
	}
	return callEntry{
		number: int64(r.Number), at: r.At.UnixMicro(), service: r.Service,
		method: q.Method, path: q.Path, query: q.Query, source: string(r.Source), by: r.By, operation: r.Operation,
		injected: injected, lane: r.Lane, scenario: r.Scenario, status: int64(r.Answer.Status), deviations: int64(len(r.Deviations)),
		address: q.Address, host: q.Host, protocol: q.Protocol, caller: q.Caller, agent: strings.Join(q.Header["User-Agent"], ", "), certificate: q.Certificate, trace: q.Trace(),
		read: r.Read, decide: r.Decide, wait: r.Wait, ask: r.Ask, send: r.Send,
		requestSize: q.Body.Size, answerSize: r.AnswerSize, contents: contents, environment: r.Environment, cause: int64(r.Cause),
	}
}

// textCount is how many texts an entry has, numberCount how many numbers.
const (
	textCount   = 17
	numberCount = 11 + partCount + 2
)

// texts and numbers list the fields in the order in which they are encoded.

func (e *callEntry) texts() [textCount]*string {
	return [...]*string{&e.service, &e.method, &e.path, &e.query, &e.source, &e.by, &e.operation, &e.injected, &e.lane, &e.scenario, &e.address, &e.host, &e.protocol, &e.caller, &e.agent, &e.certificate, &e.trace}
}

func (e *callEntry) numbers() [numberCount]*int64 {
	numbers := [numberCount]*int64{
		&e.number, &e.at, &e.status, &e.deviations, (*int64)(&e.read), (*int64)(&e.decide), (*int64)(&e.wait), (*int64)(&e.ask), (*int64)(&e.send), &e.requestSize, &e.answerSize,
	}
	for i := range e.contents {
		numbers[11+i] = &e.contents[i]
	}
	numbers[numberCount-2], numbers[numberCount-1] = &e.environment, &e.cause
	return numbers
}

// appendEntry encodes a call behind the one before: of each text 0 where it is the
// same, else one more than its length and the text; of each number the difference.
func appendEntry(b []byte, e, before *callEntry) []byte {
	old := before.texts()
	for i, text := range e.texts() {
		if *text == *old[i] {
			b = append(b, 0)
			continue
		}
		b = binary.AppendUvarint(b, uint64(len(*text))+1)
		b = append(b, *text...)
	}
	was := before.numbers()
	for i, n := range e.numbers() {
		b = binary.AppendVarint(b, *n-*was[i])
	}
	return b
}

var errBlock = errors.New("calls in the log were written by another version")

// blockReader reads the calls of a block, one after the other. The texts of its entry
// share the memory of the block.
type blockReader struct {
	rest string
	// texts and numbers are how many each entry has.
	texts, numbers int
	callEntry
}

func readBlock(data string) (*blockReader, error) {
	if data == "" || data[0] == 0 || data[0] > blockVersion {
		return nil, errBlock
	}
	r := &blockReader{rest: data[1:], texts: textCount, numbers: numberCount}
	if data[0] < 2 {
		r.texts--
	}
	if data[0] < 3 {
		r.numbers--
	}
	if data[0] < 4 {
		r.texts--
	}
	if data[0] < 5 {
		r.numbers--
	}
	if data[0] < 6 {
		r.texts--
	}
	return r, nil
}

// each reads the calls until visit wants no more; it may keep what it is given.
func (r *blockReader) each(visit func(e callEntry) (more bool)) error {
	for r.rest != "" {
		if err := r.next(); err != nil {
			return err
		}
		if !visit(r.callEntry) {
			break
		}
	}
	return nil
}

// next reads one more call into the reader's entry.
func (r *blockReader) next() error {
	texts := r.callEntry.texts()
	for _, text := range texts[:r.texts] {
		length, ok := r.uvarint()
		if !ok || length > uint64(len(r.rest))+1 {
			return errBlock
		}
		if length > 0 {
			*text, r.rest = r.rest[:length-1], r.rest[length-1:]
		}
	}
	numbers := r.callEntry.numbers()
	for _, n := range numbers[:r.numbers] {
		difference, ok := r.uvarint()
		if !ok {
			return errBlock
		}
		*n += int64(difference>>1) ^ -int64(difference&1) // as AppendVarint writes signs
	}
	return nil
}

func (r *blockReader) uvarint() (value uint64, ok bool) {
	for i := 0; i < len(r.rest) && i < binary.MaxVarintLen64; i++ {
		c := r.rest[i]
		value |= uint64(c&0x7f) << (7 * i)
		if c < 0x80 {
			r.rest = r.rest[i+1:]
			return value, true
		}
	}
	return 0, false
}

// summary is the line of the call in the log.
func (e *callEntry) summary() call.Summary {
	return call.Summary{
		Number: uint64(e.number), At: time.UnixMicro(e.at), Service: e.service, Method: e.method, Path: e.path, Query: e.query,
		Status: int(e.status), Source: call.Source(e.source), By: e.by, Took: e.read + e.decide + e.wait + e.ask + e.send,
		Operation: e.operation, Deviations: int(e.deviations), Injected: e.injected, Lane: e.lane, Scenario: e.scenario,
		Host: e.host, Agent: e.agent, Trace: e.trace, Cause: uint64(e.cause),
	}
}

// record is the call without its contents.
func (e *callEntry) record() *call.Record {
	return &call.Record{
		Number: uint64(e.number), At: time.UnixMicro(e.at), Service: e.service,
		Request: call.Request{
			Method: e.method, Address: e.address, Path: e.path, Query: e.query, Host: e.host,
			Protocol: e.protocol, Caller: e.caller, Certificate: e.certificate, Body: call.Body{Size: e.requestSize},
		},
		Answer: call.Answer{Status: int(e.status)},
		Lane:   e.lane, Scenario: e.scenario, Environment: e.environment, Cause: uint64(e.cause), AnswerSize: e.answerSize, Source: call.Source(e.source), By: e.by, Operation: e.operation,
		Read: e.read, Decide: e.decide, Wait: e.wait, Ask: e.ask, Send: e.send,
	}
}
