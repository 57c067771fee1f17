// Package app is the composition root: it builds every part of a running
// service, owns all goroutines, and stops them in order.
//
// Starting: store, catalog, call log, engine, listeners. Stopping goes the
// other way, so that calls in flight are finished and every finished call is
// in the log before the store closes.
package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/gofrs/flock"
	"golang.org/x/sync/errgroup"

	"rapidmimic.example/internal/callback"
	"rapidmimic.example/internal/calllog"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/memory"
	"rapidmimic.example/internal/rescue"
	"rapidmimic.example/internal/scripts"
	"rapidmimic.example/internal/signin"
	"rapidmimic.example/internal/store"
	"rapidmimic.example/internal/traffic"
	"rapidmimic.example/internal/upstream"
)

// Version of the binary; the build sets it.
var Version = "dev"

// stopWithin is how long calls in flight may take once a stop was asked for.
const stopWithin = 5 * time.Second

// Run runs a service until ctx ends and everything has stopped. ready is
// called once, when calls are answered.
func Run(ctx context.Context, cfg config.Config, logger *slog.Logger, ready func(config.Addresses)) error {
	if err := cfg.Check(); err != nil {
		return err
	}
	if cfg.OpenControl && !config.IsLoopback(cfg.Control) {
		logger.Warn("the control address is open: whoever reaches it can look at everything", "control", cfg.Control)
	}
	limit := cfg.MemoryLimit
	if limit == 0 {
		limit = memory.Default()
	}
	unlock, err := lockData(cfg.Data)
	if err != nil {
		return err
	}
	defer unlock()
	logQuietly(logger)
	makePrivate()
	if err := keepPrivate(cfg.Data, logger); err != nil {
		return fmt.Errorf("data folder %s: %w", cfg.Data, err)
	}
	a := &app{config: cfg, logger: logger, started: time.Now(), memory: shareOut(limit)}
	defer a.memory.relaxCollector(ctx, limit)()
	if err := a.listen(); err != nil {
		return err
	}
	defer a.closeListeners()
	if err := a.build(ctx); err != nil {
		return err
	}
	if err := a.run(ctx, ready); err != nil {
		return err
	}
	return a.store.Close()
}

// relaxCollector lets the heap grow before it is collected, by how much is in use, until the function
// that it returns is called. Near the limit of memory it is collected more often instead. GOGC and
// GOMEMLIMIT, when set, are obeyed instead.
func (s shares) relaxCollector(ctx context.Context, limit int64) (end func()) {
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(limit / 10 * 9)
	}
	if os.Getenv("GOGC") != "" {
		return func() {}
	}
	ctx, cancel := context.WithCancel(ctx)
	var tuning sync.WaitGroup
	tuning.Go(func() { s.collector.Tune(ctx) })
	return func() {
		cancel()
		tuning.Wait()
	}
}

// shares are the parts of the memory that work of one kind may take. What is left is
// for definitions, connections and the database.
type shares struct {
	uploads, bodies *memory.Ledger
	logBuffer       int
	collector       *memory.Collector
}

func shareOut(limit int64) shares {
	collector := &memory.Collector{}
	return shares{
		uploads: memory.NewLedger(limit / 2).During(collector.Heavy), bodies: memory.NewLedger(limit / 4),
		logBuffer: int(min(calllog.DefaultBufferBytes, limit/8)), collector: collector,
	}
}

type app struct {
	config  config.Config
	logger  *slog.Logger
	started time.Time
	memory  shares

	controlListener, trafficListener, proxyListener, metricsListener net.Listener
	called, proxied                                                  *traffic.Listener // of traffic and proxy
	control, traffic, proxy, metrics                                 *http.Server      // proxy and metrics are nil without one
	stopStreams                                                      context.CancelFunc

	store     *store.Store
	log       *calllog.Log
	upstreams *upstream.Client
	strangers *upstream.Client // asks public addresses alone
	scripts   *scripts.Pool
	callbacks *callback.Sender
	// remembered is what services remember.
	remembered *collection.Memory
	kept       map[collection.Space]uint64 // of it, as far as it is written: see Memory.Changed
	tokens     *access.Tokens
	tls        *certificates                          // nil where the ports have none
	signIn     *signin.Provider                       // nil for none
	expire     func(context.Context, time.Time) error // ends what is over
	// endUnattended ends recordings whose recorder is gone.
	endUnattended func(context.Context, time.Time) error
	ready         atomic.Bool
}

// lockData makes sure that the data folder can be written to and that no other
// service uses it.
func lockData(folder string) (unlock func(), err error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("data folder %s cannot be made: %w (--data names another)", folder, cause(err))
	}
	lock := flock.New(filepath.Join(folder, "lock"))
	locked, err := lock.TryLock()
	if err != nil {
		return nil, fmt.Errorf("data folder %s cannot be written to: %w (--data names another)", folder, cause(err))
	}
	if !locked {
		return nil, fmt.Errorf("data folder %s is in use by another Rapid Mimic (--data names another)", folder)
	}
	return func() { _ = lock.Unlock() }, nil
}

// cause is the reason without the path, which the message names already.
func cause(err error) error {
	var path *os.PathError
	if errors.As(err, &path) {
		return path.Err
	}
	return err
}

func (a *app) listen() (err error) {
	if a.controlListener, err = listen(a.config.Control, "--control"); err != nil {
		return err
	}
	if a.trafficListener, err = listen(a.config.Traffic, "--traffic"); err != nil {
		a.closeListeners()
		return err
	}
	if a.config.Proxy != "" {
		a.proxyListener, err = listen(a.config.Proxy, "--proxy")
	}
	if err == nil && a.config.Metrics != "" {
		a.metricsListener, err = listen(a.config.Metrics, "--metrics")
	}
	if err != nil {
		a.closeListeners()
	}
	return err
}

func listen(address, flag string) (net.Listener, error) {
	listener, err := net.Listen("tcp", address)
	switch {
	case errors.Is(err, syscall.EADDRINUSE):
		return nil, fmt.Errorf("%s %s is taken by another program (%s names another address)", flag, address, flag)
	case errors.Is(err, syscall.EACCES):
		return nil, fmt.Errorf("%s %s is not allowed to you: ports below 1024 need more rights (%s names another address)", flag, address, flag)
	case err != nil:
		return nil, fmt.Errorf("%s is not available: %s: %w", flag, address, err)
	}
	return listener, nil
}

func (a *app) closeListeners() {
	for _, l := range []net.Listener{a.controlListener, a.trafficListener, a.proxyListener, a.metricsListener} {
		if l != nil {
			_ = l.Close() // closed already after an ordinary stop
		}
	}
}

// baseURL is how others reach a listener: by the name of this machine where it has one and
// listens beyond it, over TLS where there is a certificate.
func (a *app) baseURL(l net.Listener) string {
	address := l.Addr().(*net.TCPAddr)
	host := address.IP.String()
	if name := a.publicName(); name != "" && !address.IP.IsLoopback() {
		host = name
	} else if address.IP.IsUnspecified() {
		host = "127.0.0.1"
	}
	scheme := "http"
	if a.config.TLS() {
		scheme = "https"
		if address.IP.IsLoopback() && a.config.TLSOwn {
			host = "localhost"
		}
	}
	return fmt.Sprintf("%s://%s", scheme, net.JoinHostPort(host, strconv.Itoa(address.Port)))
}

// publicName is by what others reach this machine: the first --name, a name in the certificate,
// or where the control port is open to others, an address of this machine; "" for none.
func (a *app) publicName() string {
	if len(a.config.Names) > 0 {
		return a.config.Names[0]
	}
	if name := a.tls.name(); name != "" {
		return name
	}
	if config.IsLoopback(a.config.Control) {
		return ""
	}
	addresses, _ := net.InterfaceAddrs() // none is fine
	for _, address := range addresses {
		if on, ok := address.(*net.IPNet); ok && on.IP.IsGlobalUnicast() {
			return on.IP.String()
		}
	}
	return ""
}

// localURL is how this machine itself reaches a listener: without TLS, which the same port
// speaks, too.
func localURL(l net.Listener) string {
	address := l.Addr().(*net.TCPAddr)
	host := address.IP.String()
	if address.IP.IsUnspecified() {
		host = "127.0.0.1"
	}
	return "http://" + net.JoinHostPort(host, strconv.Itoa(address.Port))
}

func (a *app) run(ctx context.Context, ready func(config.Addresses)) error {
	addresses, err := a.addresses(ctx)
	if err != nil {
		return err
	}
	logCtx, stopLog := context.WithCancel(context.WithoutCancel(ctx))
	var logDone errgroup.Group
	logDone.Go(func() error { return a.log.Run(logCtx) })

	var lapsing errgroup.Group
	lapsing.Go(func() error { a.expireUntil(logCtx); return nil })
	lapsing.Go(func() error { a.watchConnections(logCtx); return nil })
	if a.config.KeepMemory {
		lapsing.Go(func() error { a.keepMemory(logCtx, a.remembered); return nil })
	}

	servers, serving := errgroup.WithContext(ctx)
	servers.Go(func() error {
		return serve(a.traffic, a.tls.asking(a.called, a.config.HeaderTimeout, "h2", "http/1.1", "http/1.0"))
	})
	servers.Go(func() error {
		return serve(a.control, a.tls.listener(a.controlListener, a.config.HeaderTimeout, "h2", "http/1.1", "http/1.0"))
	})
	if a.proxy != nil {
		servers.Go(func() error {
			return serve(a.proxy, a.tls.listener(a.proxied, a.config.HeaderTimeout, "http/1.1", "http/1.0"))
		})
	}
	if a.metrics != nil {
		servers.Go(func() error { return serve(a.metrics, a.metricsListener) })
	}
	a.ready.Store(true)
	a.logger.Info("ready", "control", addresses.Control, "traffic", addresses.Traffic, "data", addresses.Data,
		"note", "counters and sequences restart with each start")
	ready(addresses)

	<-serving.Done()
	a.ready.Store(false)
	stopErr := a.stop()
	stopLog()
	return errors.Join(stopErr, a.await("what runs in the background", func() error {
		return errors.Join(servers.Wait(), logDone.Wait(), lapsing.Wait())
	}))
}

// await waits for work to end, but not longer than stopWithin.
func (a *app) await(what string, work func() error) error {
	done := make(chan error, 1)
	go func() { done <- work() }()
	select {
	case err := <-done:
		return err
	case <-time.After(stopWithin):
		return fmt.Errorf("%s did not end within %s: calls of the last moment may not be in the log", what, stopWithin)
	}
}

// expireEvery is how often what is over is cleared away. It is not in force before
// that either.
const expireEvery = time.Second

func (a *app) expireUntil(ctx context.Context) {
	ticker := time.NewTicker(expireEvery)
	defer ticker.Stop()
	said := "" // what fails each second is said once
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-ticker.C:
			_ = rescue.Do(a.logger, "clear away what is over", func() {
				err := errors.Join(a.expire(context.WithoutCancel(ctx), now), a.endUnattended(context.WithoutCancel(ctx), now))
				if err != nil && err.Error() != said {
					a.logger.Error("what is over could not be cleared away", "error", err)
				}
				if said = ""; err != nil {
					said = err.Error()
				}
			})
		}
	}
}

func serve(server *http.Server, listener net.Listener) error {
	if err := server.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
		return fmt.Errorf("listen on %s: %w", listener.Addr(), err)
	}
	return nil
}

// stop lets calls in flight finish, and says so when they take too long.
func (a *app) stop() error {
	a.logger.Info("stopping")
	a.stopStreams()
	defer a.scripts.Close()
	defer a.upstreams.Close()
	defer a.strangers.Close()
	defer a.endCallbacks()
	ctx, cancel := context.WithTimeout(context.Background(), stopWithin)
	defer cancel()
	var both errgroup.Group
	for name, server := range map[string]*http.Server{"traffic": a.traffic, "control": a.control, "proxy": a.proxy, "metrics": a.metrics} {
		if server == nil {
			continue
		}
		both.Go(func() error {
			if err := server.Shutdown(ctx); err != nil {
				a.logger.Warn("calls in flight were cut off", "port", name, "after", stopWithin)
				return server.Close()
			}
			return nil
		})
	}
	return both.Wait()
}

// endCallbacks gives up the callbacks that wait, and says how many those were.
func (a *app) endCallbacks() {
	if n := a.callbacks.Waiting(); n > 0 {
		a.logger.Warn("callbacks that waited were not made", "callbacks", n)
	}
	a.callbacks.Close()
}
