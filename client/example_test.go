package client_test

import (
	"context"
	"errors"
	"fmt"
	"log"
	"time"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// environment is that of the examples: rapidmimic serve, on this machine.
func environment() *client.Client {
	c, err := client.NewAs(client.DefaultURL, "ida")
	if err != nil {
		log.Fatal(err)
	}
	return c
}

func ExampleNew() {
	c, err := client.New(client.DefaultURL)
	if err != nil {
		log.Fatal(err)
	}
	defer c.Close()
	status, err := c.Status(context.Background())
	var p *problem.Error
	if errors.As(err, &p) && p.Code == problem.Unreachable {
		log.Fatal("start it with: rapidmimic serve")
	}
	fmt.Println(status.Version)
}

func ExampleClient_Import() {
	contract := []byte("openapi: 3.1.0\ninfo: {title: Buoys, version: '1'}\npaths: {}\n")
	report, err := environment().Import(context.Background(), client.Import{File: "buoys.yaml", Text: contract})
	if err != nil {
		log.Fatal(err) // names the line of what is wrong
	}
	fmt.Println(report.Address)
}

func ExampleClient_PutService() {
	ctx, c := context.Background(), environment()
	read, err := c.Service(ctx, "moorings")
	if err != nil {
		log.Fatal(err)
	}
	read.Conformance = spec.ConformanceRefuse
	_, err = c.PutService(ctx, "moorings", read.Service, read.ETag)
	var p *problem.Error
	if errors.As(err, &p) && p.Code == problem.Stale {
		log.Fatal("somebody changed it since it was read: ", p.Detail)
	}
}

func ExampleClient_PutMappings() {
	report, err := environment().PutMappings(context.Background(), "moorings", []byte(`
id: fog
call: { method: GET, path: /fog }
answer: { status: 503, text: Fog }`))
	if err != nil {
		log.Fatal(err)
	}
	for _, item := range report.Items {
		fmt.Println(item.ID, item.Outcome, item.Live, item.Warnings)
	}
}

func ExampleClient_EditMappings() {
	off := false
	changed, err := environment().EditMappings(context.Background(), "moorings", client.Selection{Label: "night"}, api.MappingsEdit{Enabled: &off})
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println(changed)
}

func ExampleClient_PutPins() {
	pins := spec.Pins{"/state": tree.NewString("taken")}
	set, err := environment().PutPins(context.Background(), "moorings", "getBerth", pins, "")
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println(set.Warnings)
}

func ExampleClient_UseScenario() {
	ctx, c := context.Background(), environment()
	if _, err := c.UseScenario(ctx, "", "bad-night", spec.Duration(10*time.Minute)); err != nil {
		log.Fatal(err)
	}
	defer func() { _, _ = c.LeaveScenario(ctx, "") }()
}

func ExampleClient_OpenLane() {
	ctx, c := context.Background(), environment()
	lane, err := c.OpenLane(ctx, spec.Lane{Name: "night-run", TTL: spec.Duration(20 * time.Minute)})
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println("programs send", lane.Header, "or call", lane.Address)
	defer func() { _, _ = c.CloseLane(ctx, lane.Name) }()
}

func ExampleClient_SetImpairment() {
	set, err := environment().SetImpairment(context.Background(), spec.Target{Service: "tides"}, []byte("{latency: 20ms..80ms, errors: {rate: 30%}, seed: 7}"))
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println(set.Text)
}

func ExampleClient_PutLine() {
	line, err := environment().PutLine(context.Background(), "storm-cable", spec.Line{BytesPerSecond: 2000})
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println(line.Text)
}

func ExampleClient_PutPayload() {
	chart, err := environment().PutPayload(context.Background(), "moorings", "chart.txt", []byte("shallow\n"))
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println(chart.MediaType, chart.Size)
}

func ExampleClient_StartRecording() {
	ctx, c := context.Background(), environment()
	started, err := c.StartRecording(ctx, "moorings", api.RecordingStart{Name: "booking a berth"})
	if err != nil {
		log.Fatal(err)
	}
	// … call the service …
	report, err := c.StopRecording(ctx, "moorings", started.ID, api.RecordingStop{})
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println(report.Recording.Calls)
}

func ExampleClient_Calls() {
	list, err := environment().Calls(context.Background(), client.CallQuery{Service: "moorings", Text: "status:5xx", Limit: 10})
	if err != nil {
		log.Fatal(err)
	}
	for _, call := range list.Items {
		fmt.Println(call.ID, call.Method, call.Path, call.Status)
	}
}

func ExampleClient_Follow() {
	stream, err := environment().Follow(context.Background(), client.CallQuery{}, "")
	if err != nil {
		log.Fatal(err)
	}
	defer stream.Close()
	for {
		batch, err := stream.Next()
		if err != nil {
			return // the service ended
		}
		for _, call := range batch.Calls {
			fmt.Println(call.Method, call.Path)
		}
	}
}

func ExampleClient_Explain() {
	explained, err := environment().Explain(context.Background(), "moorings", api.TestCall{Method: "GET", Path: "/berths/N7"})
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println(explained.Source, explained.By, explained.Status)
}
