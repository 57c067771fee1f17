package main

import (
	"context"
	"fmt"
	"strings"

	"rapidmimic.example/client"
)

// cliff is something that grows; the cost of one call should hardly grow with it.
type cliff struct {
	name  string
	sizes [3]int // each ten times the one before
	row   func(size int) row
	// kept has so many calls in the log before anything is measured.
	kept func(size int) int
}

func cliffs() []cliff {
	onOnePath := func(count int) row {
		return row{ask: get(fmt.Sprintf("/moorings/berths?berth=N%d", count/2)), prepare: mappings(count, func(i int) string {
			return fmt.Sprintf("{id: berth-%d, call: {method: GET, path: /berths, where: [{query: berth, equals: N%d}]}, answer: {json: %s}}", i, i, berth)
		})}
	}
	conditions := func(count int) row {
		var where, query []string
		for i := range count {
			where, query = append(where, fmt.Sprintf(`{query: q%d, oneOf: ["%d", other]}`, i, i)), append(query, fmt.Sprintf("q%d=%d", i, i))
		}
		return row{ask: get("/moorings/berths?" + strings.Join(query, "&")), prepare: mappings(1, func(int) string {
			return fmt.Sprintf("{id: all, call: {method: GET, path: /berths, where: [%s]}, answer: {json: %s}}", strings.Join(where, ", "), berth)
		})}
	}
	bodies := func(where string) func(int) row {
		return func(size int) row {
			return row{ask: request{method: "POST", path: "/moorings/berths", contentType: "application/json", body: berths(size), differs: true}, prepare: mappings(1, func(int) string {
				return fmt.Sprintf("{id: all, call: {method: POST, path: /berths%s}, answer: {json: %s}}", where, berth)
			})}
		}
	}
	one := func(int) row { return fixed(1) }
	return []cliff{
		{name: "mappings, each its path", sizes: [3]int{100, 1_000, 10_000}, row: fixed},
		{name: "mappings on one path", sizes: [3]int{100, 1_000, 10_000}, row: onOnePath},
		{name: "conditions of a mapping", sizes: [3]int{1, 10, 100}, row: conditions},
		{name: "bytes of a body, not read", sizes: [3]int{1_000, 10_000, 100_000}, row: bodies("")},
		{name: "bytes of a body, read for a condition", sizes: [3]int{1_000, 10_000, 100_000}, row: bodies(", where: [{body: '$[0].pier', equals: north}]")},
		{name: "operations of the contract", sizes: [3]int{100, 1_000, 10_000}, row: func(count int) row {
			return row{ask: get(fmt.Sprintf("/moorings/quays/%d/berths/N7", count/2)), prepare: contract(largeContract(count))}
		}},
		{name: "lanes open", sizes: [3]int{1, 10, 100}, row: func(count int) row {
			r := one(count)
			plain := r.prepare
			r.prepare = func(ctx context.Context, api *client.Client, upstream string) error {
				if err := plain(ctx, api, upstream); err != nil {
					return err
				}
				return openLanes(ctx, api, count)
			}
			return r
		}},
		{name: "calls in the log", sizes: [3]int{1_000, 10_000, 100_000}, row: one, kept: func(size int) int { return size }},
	}
}

// largeContract has so many operations that answer with the same example.
func largeContract(operations int) string {
	var b strings.Builder
	b.WriteString(`{"openapi": "3.1.0", "info": {"title": "Bench", "version": "1"}, "paths": {`)
	for i := range operations {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, `"/quays/%d/berths/{number}": {"get": {"operationId": "berth%d", "parameters": [{"name": "number", "in": "path", "required": true, "schema": {"type": "string"}}],
			"responses": {"200": {"description": "A berth", "content": {"application/json": {"example": %s}}}}}}`, i, i, berth)
	}
	b.WriteString("}}")
	return b.String()
}

// measureCliffs prints what one call costs while something grows, in processor time of the service.
func (b *bench) measureCliffs(ctx context.Context) error {
	fmt.Printf("processor time for each call, %d callers; medians of %d turns of %s each\n\n", b.connections, b.turns, b.turn)
	fmt.Printf("%-40s %28s %26s %9s\n", "", "sizes", "µs/call", "growth")
	for _, c := range cliffs() {
		if !b.only.MatchString(c.name) {
			continue
		}
		var cost [3]float64
		for i, size := range c.sizes {
			var err error
			if cost[i], err = b.costAt(ctx, c, size); err != nil {
				return fmt.Errorf("%s, %d: %w", c.name, size, err)
			}
		}
		fmt.Printf("%-40s %28s %26s %9s\n", c.name, fmt.Sprintf("%d %d %d", c.sizes[0], c.sizes[1], c.sizes[2]),
			fmt.Sprintf("%.0f %.0f %.0f", cost[0], cost[1], cost[2]), fmt.Sprintf("%.1f %.1f", cost[1]/cost[0], cost[2]/cost[0]))
	}
	return nil
}

func (b *bench) costAt(ctx context.Context, c cliff, size int) (microseconds float64, err error) {
	r := c.row(size)
	s, err := b.prepared(ctx, b.binary, r, "")
	if err != nil {
		return 0, err
	}
	defer s.stop()
	for sent := 0; c.kept != nil && sent < c.kept(size); {
		some, err := load(s.pid, s.address, r.ask, drive{connections: b.connections, turn: b.turn / 4})
		if err != nil {
			return 0, err
		}
		sent += some.calls
	}
	mine := &side{process: s.process, ask: r.ask}
	if err := b.takeTurns(mine); err != nil {
		return 0, err
	}
	notKept, err := s.kept(ctx)
	b.lost += notKept
	return median(mine.results).cpu.Seconds() * 1e6, err
}
