package store

import (
	"encoding/binary"
	"errors"
	"time"

	"rapidmimic/internal/core/call"
)

// callDetail is what a row says beside its columns: the rest of the summary,
// then what only the view of a single call needs.
type callDetail struct {
	method, path, query, source, by, operation string
	injected                                   string // kinds
	lane, scenario                             string
	status, deviations                         int64
	address, host, protocol, caller            string
	read, decide, wait, ask, send              time.Duration
	requestSize, answerSize                    int64
	contents                                   [partCount]int64 // ids, 0 for none
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

// detailVersion is the first byte of an encoded detail. Details of version 1
// have no operation, those before 4 nothing of the upstream and of impairments, those
// before 5 neither lane nor scenario.
const detailVersion = 5

func detailOf(r *call.Record, contents [partCount]int64) callDetail {
	q := &r.Request
	return callDetail{
		method: q.Method, path: q.Path, query: q.Query, source: string(r.Source), by: r.By, operation: r.Operation, status: int64(r.Answer.Status), deviations: int64(len(r.Deviations)),
		injected: r.Summary().Injected, lane: r.Lane, scenario: r.Scenario,
		address: q.Address, host: q.Host, protocol: q.Protocol, caller: q.Caller,
		read: r.Read, decide: r.Decide, wait: r.Wait, ask: r.Ask, send: r.Send,
		requestSize: q.Body.Size, answerSize: r.AnswerSize, contents: contents,
	}
}

// numberCount is how many numbers there are beside the ids of contents.
const numberCount = 7

// lateNumbers came with version 4, at the end.
const lateNumbers = 4

// strings and numbers list the fields in the order in which they are encoded.

func (d *callDetail) strings() [13]*string {
	return [...]*string{&d.method, &d.path, &d.query, &d.source, &d.by, &d.address, &d.host, &d.protocol, &d.caller, &d.operation, &d.injected, &d.lane, &d.scenario}
}

func (d *callDetail) numbers() [numberCount + partCount + 2]*int64 {
	numbers := [numberCount + partCount + 2]*int64{
		&d.status, &d.deviations, (*int64)(&d.read), (*int64)(&d.decide), (*int64)(&d.send), &d.requestSize, &d.answerSize,
	}
	for i := range d.contents {
		numbers[numberCount+i] = &d.contents[i]
	}
	numbers[numberCount+partCount], numbers[numberCount+partCount+1] = (*int64)(&d.wait), (*int64)(&d.ask)
	return numbers
}

// append encodes d: strings with their lengths, then numbers.
func (d *callDetail) append(b []byte) []byte {
	b = append(b, detailVersion)
	for _, s := range d.strings() {
		b = binary.AppendUvarint(b, uint64(len(*s)))
		b = append(b, *s...)
	}
	for _, n := range d.numbers() {
		b = binary.AppendVarint(b, *n)
	}
	return b
}

var errDetail = errors.New("the details of the call were written by another version")

// parse decodes what append wrote.
func (d *callDetail) parse(b []byte) error {
	if len(b) == 0 || b[0] < 1 || b[0] > detailVersion {
		return errDetail
	}
	all := d.strings()
	texts := all[:]
	counts := d.numbers()
	numbers := counts[:]
	if b[0] < 5 {
		texts = texts[:len(texts)-2]
	}
	if b[0] < 2 {
		texts = texts[:len(texts)-1]
	}
	if b[0] < 4 {
		texts = texts[:len(texts)-1]
		numbers = numbers[:len(numbers)-lateNumbers]
	}
	b = b[1:]
	for _, s := range texts {
		length, n := binary.Uvarint(b)
		if n <= 0 || uint64(len(b)-n) < length {
			return errDetail
		}
		*s, b = string(b[n:n+int(length)]), b[n+int(length):]
	}
	for _, number := range numbers {
		value, n := binary.Varint(b)
		if n <= 0 {
			return errDetail
		}
		*number, b = value, b[n:]
	}
	return nil
}
