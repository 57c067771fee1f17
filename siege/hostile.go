//go:build linux

package main

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/client"
)

// hostileCall is a call that asks for much.
type hostileCall struct{ path, mediaType, body string }

func hostileCalls() []hostileCall {
	ones := "[" + strings.Repeat("1,", 4_500_000) + "1]"
	return []hostileCall{
		{"/quarry/if", "application/json", ones},
		{"/quarry/if", "application/json", `{"a": [{"b": 99}], "pad": [` + strings.Repeat(`{"c": "some berth"},`, 10_000) + `1]}`},
		{"/quarry/if", "application/json", "[" + strings.Repeat("1e999999,", 5_000) + "1]"},
		{"/quarry/json", "application/json", "[" + strings.Repeat("[[1]],", 20_000) + "1]"},
		{"/quarry/xml", "text/xml", "<a>" + strings.Repeat("<b/>", 5_000) + "</a>"},
		{"/quarry/xml", "text/xml", "<a>" + strings.Repeat("x&#65;", 300_000) + "</a>"},
		{"/quarry/grown", "", ""},
		{"/quarry/none", "application/octet-stream", ones},
		{"/office/" + strings.Repeat("x/", 20_000), "", ""},
	}
}

// hostileCallers make such calls, and leave half of them before they are answered.
func (s *siege) hostileCallers(ctx context.Context) {
	calls := hostileCalls()
	var all sync.WaitGroup
	for worker := range 6 {
		all.Go(func() {
			chance := rand.New(rand.NewPCG(1, uint64(worker)))
			caller := &http.Client{Transport: &http.Transport{}}
			defer caller.CloseIdleConnections()
			for ctx.Err() == nil {
				c := calls[chance.IntN(len(calls))]
				patience := time.Duration(1+chance.IntN(4000)) * time.Millisecond
				one, leave := context.WithTimeout(ctx, patience)
				req, _ := http.NewRequestWithContext(one, "POST", "http://"+trafficAddress+c.path, strings.NewReader(c.body)) // our own addresses are right
				req.Header.Set("Content-Type", c.mediaType)
				if resp, err := caller.Do(req); err == nil {
					_, _ = io.Copy(io.Discard, resp.Body)
					_ = resp.Body.Close()
				}
				leave()
				time.Sleep(time.Duration(chance.IntN(100)) * time.Millisecond)
			}
		})
	}
	all.Wait()
}

// hostileDefinitions import and put what explodes.
func (s *siege) hostileDefinitions(ctx context.Context) {
	contract := func(schema string, more ...string) []byte {
		return []byte(`{"openapi": "3.1.0", "info": {"title": "x", "version": "1"}, "paths": {"/a": {"get": {"operationId": "a", "responses": {"200": {"description": "", "content": {"application/json": {"schema": ` +
			schema + `}}}}}}}, "components": {"schemas": {` + strings.Join(more, ",") + `}}}`)
	}
	var doubled []string
	for i := range 30 {
		doubled = append(doubled, fmt.Sprintf(`"A%d": {"oneOf": [{"$ref": "#/components/schemas/A%d"}, {"$ref": "#/components/schemas/A%d"}]}`, i, i+1, i+1))
	}
	var archive bytes.Buffer
	w := zip.NewWriter(&archive)
	if entry, err := w.Create("a.yaml"); err == nil {
		_, _ = io.WriteString(entry, "openapi: 3.1.0\nx:\n"+strings.Repeat("- {a: 1}\n", 6_000_000)) // a buffer takes everything
	}
	_ = w.Close()
	uploads := [][]byte{
		contract(`{"$ref": "#/components/schemas/A0"}`, append(doubled, `"A30": {"type": "object"}`)...),
		contract(`{"type": "array", "minItems": 1000000000, "items": {"type": "string", "minLength": 100000000}}`),
		contract(`{"type": "string", "pattern": "^(?=a)(a+)+$"}`),
		[]byte(`{"openapi": "3.1.0", "x": [` + strings.Repeat("1,", 30_000_000) + "1]}"),
		[]byte("openapi: 3.1.0\nx:\n" + strings.Repeat("- {a: 1}\n", 3_000_000)),
		archive.Bytes(),
		[]byte("[" + strings.Repeat("[", 100_000)),
	}
	for i := 0; ctx.Err() == nil; i++ {
		name := fmt.Sprint("bad-", i%len(uploads))
		if _, err := s.client().Import(ctx, client.Import{File: "a.json", Name: name, Text: uploads[i%len(uploads)]}); err == nil {
			if resp, err := http.Get("http://" + trafficAddress + "/" + name + "/a"); err == nil {
				_, _ = io.Copy(io.Discard, resp.Body)
				_ = resp.Body.Close()
			}
			_ = s.client().RemoveService(ctx, name) // it may be gone by a restart
		}
		time.Sleep(200 * time.Millisecond)
	}
}

// slowCallers hold connections open, some with half a request.
func (s *siege) slowCallers(ctx context.Context) {
	var conns []net.Conn
	defer func() {
		for _, conn := range conns {
			_ = conn.Close()
		}
	}()
	for i := 0; ctx.Err() == nil; i++ {
		conn, err := net.Dial("tcp", trafficAddress)
		if err == nil {
			conns = append(conns, conn)
			if i%2 == 0 {
				_, _ = io.WriteString(conn, "POST /quarry/if HTTP/1.1\r\nHost: a\r\nContent-Length: 1000000\r\n\r\n{") // it may be closed
			}
		}
		if len(conns) > 1_000 {
			_ = conns[0].Close()
			conns = conns[1:]
		}
		time.Sleep(5 * time.Millisecond)
	}
}

// fullDisk fills the disk, edits and calls, and makes room again. It returns what came
// of it.
func (s *siege) fullDisk(lasts time.Duration) string {
	filler := filepath.Join(s.folder, "filler")
	file, err := os.Create(filler)
	if err != nil {
		return err.Error()
	}
	block := make([]byte, 1<<20)
	for {
		if _, err := file.Write(block); err != nil {
			break
		}
	}
	_ = file.Close()
	refused, said := 0, ""
	ctx, cancel := context.WithTimeout(context.Background(), lasts)
	defer cancel()
	answered := make(chan *latencies, 1)
	go func() { answered <- s.politeUntil(ctx) }()
	for i := 0; ctx.Err() == nil; i++ {
		payload := bytes.Repeat([]byte(fmt.Sprint("chart ", i)), 400_000)
		if _, err := s.client().PutPayload(ctx, "office", fmt.Sprint("chart-", i), payload); err != nil && ctx.Err() == nil {
			refused, said = refused+1, err.Error()
		}
		time.Sleep(100 * time.Millisecond)
	}
	calls := (<-answered).count()
	if err := os.Remove(filler); err != nil {
		return err.Error()
	}
	return fmt.Sprintf("%d calls answered, %d edits refused (%s)", calls, refused, said)
}
