// Package e2e drives a whole service from outside, as its users do: over the
// wire, through the client, the command line and the console.
package e2e

import (
	"bytes"
	"context"
	"flag"
	"io"
	"log/slog"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"rapidmimic.example/client"
	"rapidmimic.example/demo"
	"rapidmimic.example/internal/app"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/internal/scripts"
)

// binary is the real command line, built once for all tests, as they are built.
var (
	binary     string
	buildFlags []string
)

func TestMain(m *testing.M) {
	scripts.WorkIfAsked()
	os.Exit(run(m))
}

func run(m *testing.M) int {
	folder, err := os.MkdirTemp("", "rapidmimic-e2e-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(folder)
	binary = filepath.Join(folder, "rapidmimic")
	build := append([]string{"build", "-o", binary}, buildFlags...)
	if out, err := exec.Command("go", append(build, "rapidmimic.example/cmd/rapidmimic")...).CombinedOutput(); err != nil {
		panic(string(out))
	}
	flag.Parse()
	if err := flag.Set("test.parallel", strconv.Itoa(2*runtime.GOMAXPROCS(0))); err != nil { // most of them wait most of the time
		panic(err)
	}
	code := m.Run()
	closeBrowser()
	if code == 0 {
		if err := goleak.Find(goleak.IgnoreAnyFunction("internal/poll.runtime_pollWait")); err != nil {
			println("goroutines are left behind:", err.Error())
			return 1
		}
	}
	return code
}

// service is a running service with a client.
type service struct {
	pid     int // of one that runs as a process
	t       testing.TB
	api     *client.Client
	control string
	traffic string
	data    string
	work    string // where commands write
	secret  string // of the administrator's token; "" where none was created
	// addresses are all that it said when it was ready.
	addresses config.Addresses
	stop      func()
	answered  atomic.Value // string: the id of the call that send made last
	log       *journal
}

// journal is what a service logs, to be read while it runs.
type journal struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (j *journal) Write(b []byte) (int, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.text.Write(b)
}

func (j *journal) String() string {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.text.String()
}

// start runs a service on ports of its own until the test ends.
func start(t testing.TB, cfg config.Config) *service {
	if cfg.Data == "" {
		cfg.Data = t.TempDir()
	}
	cfg.Control, cfg.Traffic = "127.0.0.1:0", "127.0.0.1:0"
	ctx, cancel := context.WithCancel(context.Background())
	ready, done := make(chan config.Addresses, 1), make(chan error, 1)
	logged := &journal{}
	cfg.LogLevel = &slog.LevelVar{}
	cfg.LogLevel.Set(slog.LevelDebug)
	go func() {
		done <- app.Run(ctx, cfg, slog.New(slog.NewTextHandler(logged, &slog.HandlerOptions{Level: cfg.LogLevel})), func(a config.Addresses) { ready <- a })
	}()
	s := &service{t: t, data: cfg.Data, work: t.TempDir(), log: logged}
	select {
	case a := <-ready:
		s.control, s.traffic, s.secret, s.addresses = a.LocalControl, a.LocalTraffic, a.Secret, a
	case err := <-done:
		cancel()
		t.Fatalf("the service did not start: %v", err)
	}
	var err error
	s.api, err = client.New(s.control)
	require.NoError(t, err)
	s.api.SetToken(s.secret)
	stopped := false
	s.stop = func() {
		if stopped {
			return
		}
		stopped = true
		s.api.Close()
		cancel()
		select {
		case err := <-done:
			assert.NoError(t, err)
		case <-time.After(20 * time.Second):
			t.Error("the service did not stop")
		}
	}
	t.Cleanup(s.stop)
	return s
}

// startDemo is start with the port of Skerry Sound in it.
func startDemo(t testing.TB) *service {
	s := start(t, config.Config{})
	require.NoError(t, demo.SetUp(t.Context(), s.api))
	return s
}

// send makes one call to the traffic port: "METHOD /path", with header lines.
func (s *service) send(line, body string, headers ...string) (*http.Response, string) {
	s.t.Helper()
	method, path, _ := strings.Cut(line, " ")
	req, err := http.NewRequest(method, s.traffic+path, strings.NewReader(body))
	require.NoError(s.t, err)
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		req.Header.Add(name, value)
	}
	transport := &http.Transport{DisableKeepAlives: true}
	resp, err := transport.RoundTrip(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	if id, _, ours := strings.Cut(strings.TrimPrefix(resp.Header.Get("Rapid-Mimic"), "call="), ","); ours {
		s.answered.Store(id)
	}
	return resp, string(text)
}
