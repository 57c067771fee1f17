package main

import (
	"bufio"
	"fmt"
	"net"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"
)

// result is what one turn came to.
type result struct {
	calls    int
	rate     float64 // calls a second
	p50, p99 time.Duration
}

// load sends the same request over a number of connections, each waiting for
// its answer before it asks again, for as long as a turn takes.
func load(address, path string, connections int, turn time.Duration) (result, error) {
	request := fmt.Appendf(nil, "GET %s HTTP/1.1\r\nHost: %s\r\nAccept: application/json\r\n\r\n", path, address)
	taken := make([][]time.Duration, connections)
	began := time.Now()
	end := began.Add(turn)
	var callers errgroup.Group
	for i := range connections {
		callers.Go(func() (err error) {
			taken[i], err = caller(address, request, end)
			return err
		})
	}
	if err := callers.Wait(); err != nil {
		return result{}, err
	}
	all := slices.Concat(taken...)
	elapsed := time.Since(began)
	slices.Sort(all)
	return result{
		calls: len(all), rate: float64(len(all)) / elapsed.Seconds(),
		p50: all[len(all)/2].Round(time.Microsecond), p99: all[len(all)*99/100].Round(time.Microsecond),
	}, nil
}

func caller(address string, request []byte, end time.Time) ([]time.Duration, error) {
	conn, err := net.Dial("tcp", address)
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	reader := bufio.NewReader(conn)
	taken := make([]time.Duration, 0, 1<<16)
	for {
		began := time.Now()
		if began.After(end) {
			return taken, nil
		}
		if _, err := conn.Write(request); err != nil {
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
