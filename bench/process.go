package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/client"
)

// process is a server in a process of its own.
type process struct {
	pid     int
	address string // that callers call
	stop    func()
}

func startProcess(name string, args ...string) (*process, error) {
	cmd := exec.Command(name, args...)
	cmd.Stderr = os.Stderr
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("start %s: %w", name, err)
	}
	return &process{pid: cmd.Process.Pid, stop: func() {
		_ = cmd.Process.Signal(os.Interrupt)
		kill := time.AfterFunc(10*time.Second, func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait()
		kill.Stop()
	}}, nil
}

// serving is Rapid Mimic with nothing in it yet.
type serving struct {
	*process
	api *client.Client
}

func serve(binary string) (*serving, error) {
	folder, err := os.MkdirTemp("", "rapidmimic-bench-")
	if err != nil {
		return nil, err
	}
	control, traffic, err := twoAddresses()
	if err != nil {
		return nil, err
	}
	p, err := startProcess(binary, "serve", "--data", folder, "--control", control, "--traffic", traffic, "--proxy", "", "--log-level", "error")
	if err != nil {
		return nil, err
	}
	p.address = traffic
	stop := p.stop
	p.stop = func() {
		stop()
		_ = os.RemoveAll(folder)
	}
	s := &serving{process: p}
	if s.api, err = client.New("http://" + control); err == nil {
		err = waitFor("http://" + control + "/readyz")
	}
	if err != nil {
		p.stop()
	}
	return s, err
}

func twoAddresses() (first, second string, err error) {
	var all [2]string
	for i := range all {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return "", "", err
		}
		defer l.Close()
		all[i] = l.Addr().String()
	}
	return all[0], all[1], nil
}

// bare starts the server that ours is held against: one that reads what it is sent and
// answers everything alike, or the standard library's reverse proxy before an upstream.
func bare(answer *answered, upstream string) (*process, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	address, _, err := twoAddresses()
	if err != nil {
		return nil, err
	}
	args := []string{"-be", address, "-upstream", upstream}
	if answer != nil {
		file, err := os.CreateTemp("", "rapidmimic-bench-")
		if err != nil {
			return nil, err
		}
		defer file.Close()
		if _, err := file.Write(answer.body); err != nil {
			return nil, err
		}
		args = append(args, "-answer", file.Name(), "-headers", strings.Join(answer.headers, "\n"))
	}
	p, err := startProcess(self, args...)
	if err != nil {
		return nil, err
	}
	p.address = address
	return p, waitFor("http://" + address)
}

// answered is an answer that was got: headers are lines.
type answered struct {
	headers []string
	body    []byte
}

// beBare serves until the process is ended.
func beBare(address, answerFile, headers, upstream string) error {
	if upstream != "" {
		target, err := url.Parse(upstream)
		if err != nil {
			return err
		}
		proxy := httputil.NewSingleHostReverseProxy(target)
		proxy.Transport = &http.Transport{MaxIdleConnsPerHost: 1_000}
		return http.ListenAndServe(address, proxy)
	}
	answer, err := os.ReadFile(answerFile)
	if err != nil {
		return err
	}
	_ = os.Remove(answerFile)
	fields := http.Header{}
	for line := range strings.SplitSeq(headers, "\n") {
		if name, value, ok := strings.Cut(line, ": "); ok {
			fields[name] = append(fields[name], value)
		}
	}
	return http.ListenAndServe(address, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.ContentLength > 0 {
			held := make([]byte, r.ContentLength)
			for n := 0; n < len(held); {
				more, err := r.Body.Read(held[n:])
				if n += more; err != nil {
					break
				}
			}
		}
		for name, values := range fields {
			w.Header()[name] = values
		}
		_, _ = w.Write(answer)
	}))
}

func waitFor(address string) error {
	for range 400 {
		if resp, err := http.Get(address); err == nil {
			_ = resp.Body.Close()
			if resp.StatusCode == http.StatusOK {
				return nil
			}
		}
		time.Sleep(25 * time.Millisecond)
	}
	return errors.New(address + " does not answer")
}

// tick is the unit of processor times in /proc: USER_HZ, which is 100 on Linux.
const tick = 10 * time.Millisecond

// processorTime is what a process has taken; 0 where there is no /proc.
func processorTime(pid int) (time.Duration, error) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if errors.Is(err, os.ErrNotExist) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	fields := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:])) // proc_pid_stat(5): utime is the 14th
	total := time.Duration(0)
	for _, field := range fields[11:13] {
		n, err := strconv.ParseInt(field, 10, 64)
		if err != nil {
			return 0, err
		}
		total += time.Duration(n) * tick
	}
	return total, nil
}

// mostMemory is the most that a process had in memory, in MB; 0 where there is no /proc.
func mostMemory(pid int) (mb int) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0
	}
	for line := range strings.Lines(string(text)) {
		if _, err := fmt.Sscanf(line, "VmHWM: %d kB", &mb); err == nil {
			return mb >> 10
		}
	}
	return 0
}

// kept waits until the last calls are written, and says how many were not.
func (s *serving) kept(ctx context.Context) (notKept int64, err error) {
	if _, err := s.api.Calls(ctx, client.CallQuery{Limit: 1}); err != nil {
		return 0, err
	}
	status, err := s.api.Status(ctx)
	return status.CallsNotKept, err
}

// ticks are what the processors of this machine have done so far.
type ticks struct{ all, stolen float64 }

// machineTime reads them from the system; they are zero where it does not tell.
func machineTime() (t ticks) {
	stat, err := os.ReadFile("/proc/stat")
	if err != nil {
		return t
	}
	line, _, _ := strings.Cut(string(stat), "\n")
	for i, field := range strings.Fields(line) { // proc_stat(5): cpu user nice system idle iowait irq softirq steal
		count, err := strconv.ParseFloat(field, 64)
		if err == nil && i <= 8 {
			t.all += count
		}
		if i == 8 {
			t.stolen = count
		}
	}
	return t
}

// stolenSince is the share of the processors that other machines took.
func (t ticks) stolenSince(before ticks) float64 {
	if t.all == before.all {
		return 0
	}
	return (t.stolen - before.stolen) / (t.all - before.all)
}
