package main

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"net"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"
)

// result is what one turn came to.
type result struct {
	calls    int
	rate     float64       // calls a second
	cpu      time.Duration // of the server, for each call
	p50, p99 time.Duration
}

// request is what callers send, again and again.
type request struct {
	method, path, contentType string
	body                      []byte
	// differs has each call end its body in another number.
	differs bool
	headers []string // further ones, as lines
}

// lastDigits is how many digits the number of a call has in a body that differs.
const lastDigits = 12

func (r request) bytes(address string) []byte {
	b := fmt.Appendf(nil, "%s %s HTTP/1.1\r\nHost: %s\r\n", r.method, r.path, address)
	for _, line := range append([]string{"Accept: */*"}, r.headers...) {
		b = append(append(b, line...), "\r\n"...)
	}
	if r.body != nil {
		b = fmt.Appendf(b, "Content-Type: %s\r\nContent-Length: %d\r\n", r.contentType, len(r.body))
	}
	return append(append(b, "\r\n"...), r.body...)
}

// drive is how servers are driven.
type drive struct {
	connections int
	turn        time.Duration
	// pace is how many calls a second all connections send together; 0 for as many as are answered.
	pace int
}

// errNoCall says that a turn went by without a call, as it does where the machine stands still.
var errNoCall = errors.New("no call was answered")

// load sends requests over a number of connections, each waiting for its answer
// before it asks again, for as long as a turn takes. pid is that of the server.
func load(pid int, address string, ask request, d drive) (result, error) {
	taken := make([][]time.Duration, d.connections)
	before, err := processorTime(pid)
	if err != nil {
		return result{}, err
	}
	began := time.Now()
	var callers errgroup.Group
	for i := range d.connections {
		callers.Go(func() (err error) {
			taken[i], err = caller(address, ask, i, began, d)
			return err
		})
	}
	if err := callers.Wait(); err != nil {
		return result{}, err
	}
	all := slices.Concat(taken...)
	elapsed := time.Since(began)
	after, err := processorTime(pid)
	if err != nil {
		return result{}, err
	}
	if len(all) == 0 {
		return result{}, fmt.Errorf("%s: %w within %s", address, errNoCall, d.turn)
	}
	slices.Sort(all)
	return result{
		calls: len(all), rate: float64(len(all)) / elapsed.Seconds(), cpu: (after - before) / time.Duration(len(all)),
		p50: all[len(all)/2].Round(time.Microsecond), p99: all[len(all)*99/100].Round(time.Microsecond),
	}, nil
}

// caller is one connection. Where there is a pace, a call that could not be sent in time, since the answer
// before came late, has taken its time from when it was due.
func caller(address string, ask request, number int, start time.Time, d drive) ([]time.Duration, error) {
	conn, err := net.Dial("tcp", address)
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	reader := bufio.NewReader(conn)
	taken := make([]time.Duration, 0, 1<<16)
	send := ask.bytes(address)
	for {
		began := time.Now()
		if d.pace > 0 {
			due := start.Add(time.Duration(number+len(taken)*d.connections) * time.Second / time.Duration(d.pace))
			if early := due.Sub(began); early > 0 {
				time.Sleep(early)
				began = time.Now()
			} else {
				began = due
			}
		}
		if began.Sub(start) > d.turn {
			return taken, nil
		}
		if ask.differs {
			copy(send[len(send)-len(tail)-lastDigits:], fmt.Sprintf("%0*d", lastDigits, number*1_000_000_000+len(taken)))
		}
		if _, err := conn.Write(send); err != nil {
			return nil, err
		}
		status, err := discardResponse(reader)
		if err != nil {
			return nil, err
		}
		if status != "HTTP/1.1 200" {
			return nil, fmt.Errorf("%s answered %q", address, status)
		}
		taken = append(taken, time.Since(began))
	}
}

// discardResponse reads one response with a Content-Length, or in chunks, and returns
// the beginning of its status line.
func discardResponse(r *bufio.Reader) (status string, err error) {
	length, chunked := 0, false
	for first := true; ; first = false {
		line, err := r.ReadSlice('\n')
		if err != nil {
			return status, err
		}
		if first {
			status = string(line[:min(len(line), 12)])
		}
		if len(line) <= 2 {
			break
		}
		name, value, _ := bytes.Cut(line, []byte(":"))
		switch {
		case len(name) == len("Content-Length") && strings.EqualFold(string(name), "Content-Length"):
			if length, err = strconv.Atoi(string(bytes.TrimSpace(value))); err != nil {
				return status, err
			}
		case len(name) == len("Transfer-Encoding") && strings.EqualFold(string(name), "Transfer-Encoding"):
			chunked = true
		}
	}
	for chunked {
		line, err := r.ReadSlice('\n')
		if err != nil {
			return status, err
		}
		size, err := strconv.ParseInt(string(bytes.TrimSpace(line)), 16, 64)
		if err != nil {
			return status, err
		}
		if _, err := r.Discard(int(size) + 2); err != nil || size == 0 {
			return status, err
		}
	}
	_, err = r.Discard(length)
	return status, err
}
