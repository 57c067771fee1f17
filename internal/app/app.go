// Package app is the composition root: it builds every part of a running
// service, owns all goroutines, and stops them in order.
//
// Starting: store, catalog, call log, engine, listeners. Stopping goes the
// other way, so that calls in flight are finished and every finished call is
// in the log before the store closes.
package app

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/gofrs/flock"
	"golang.org/x/sync/errgroup"

	"rapidmimic/internal/authority"
	"rapidmimic/internal/calllog"
	"rapidmimic/internal/config"
	"rapidmimic/internal/console"
	"rapidmimic/internal/control"
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/internal/core/engine"
	"rapidmimic/internal/fetch"
	"rapidmimic/internal/metrics"
	"rapidmimic/internal/store"
	"rapidmimic/internal/traffic"
	"rapidmimic/internal/upstream"
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
		logger.Warn("the control address is open: whoever reaches it can change everything", "control", cfg.Control)
	}
	unlock, err := lockData(cfg.Data)
	if err != nil {
		return err
	}
	defer unlock()
	relaxCollector()
	a := &app{config: cfg, logger: logger, started: time.Now()}
	if err := a.listen(); err != nil {
		return err
	}
	defer a.closeListeners()
	if err := a.build(ctx); err != nil {
		return err
	}
	runErr := a.run(ctx, ready)
	return errors.Join(runErr, a.store.Close())
}

// relaxCollector lets the heap grow to several times what is in use before it
// is collected: calls leave much behind that is dead at once, and what is in
// use is small. GOGC, when set, is obeyed instead.
func relaxCollector() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(400)
	}
}

type app struct {
	config  config.Config
	logger  *slog.Logger
	started time.Time

	controlListener, trafficListener, proxyListener net.Listener
	control, traffic, proxy                         *http.Server // proxy is nil without one
	stopStreams                                     context.CancelFunc

	store *store.Store
	log   *calllog.Log
	lapse func(context.Context, time.Time) error // ends what is over
	ready atomic.Bool
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
	if a.config.Proxy == "" {
		return nil
	}
	if a.proxyListener, err = listen(a.config.Proxy, "--proxy"); err != nil {
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
		return nil, fmt.Errorf("%s %s cannot be listened on: %w", flag, address, err)
	}
	return listener, nil
}

func (a *app) closeListeners() {
	for _, l := range []net.Listener{a.controlListener, a.trafficListener, a.proxyListener} {
		if l != nil {
			_ = l.Close() // closed already after an ordinary stop
		}
	}
}

// baseURL is how a listener is reached; one that listens everywhere is reached
// on this machine.
func baseURL(l net.Listener) string {
	address := l.Addr().(*net.TCPAddr)
	if address.IP.IsUnspecified() {
		return fmt.Sprintf("http://127.0.0.1:%d", address.Port)
	}
	return "http://" + address.String()
}

func (a *app) build(ctx context.Context) (err error) {
	if a.store, err = store.Open(ctx, a.config.Data); err != nil {
		return fmt.Errorf("data folder %s: %w", a.config.Data, err)
	}
	if err := a.assemble(ctx); err != nil {
		return errors.Join(err, a.store.Close())
	}
	return nil
}

func (a *app) assemble(ctx context.Context) error {
	definitions, err := catalog.Open(ctx, a.store)
	if err != nil {
		return err
	}
	secret, err := a.store.Secret(ctx, "masking")
	if err != nil {
		return err
	}
	seed, err := randomSeed()
	if err != nil {
		return err
	}
	decide := engine.New(engine.Config{Definitions: definitions, State: &engine.Memory{}, Control: baseURL(a.controlListener), RunSeed: seed, Now: time.Now})
	a.lapse = func(ctx context.Context, now time.Time) error {
		closed, err := definitions.Expire(ctx, now)
		for _, lane := range closed {
			decide.ResetLane(lane)
			a.log.ForgetLane(lane.Spec.Name)
			a.logger.Info("a lane closed itself", "lane", lane.Spec.Name)
		}
		return err
	}
	masker := call.NewMasker(secret, a.config.Mask...)
	a.log, err = calllog.Open(ctx, calllog.Config{
		Store: a.store, Masker: masker, Checker: decide, Logger: a.logger,
		Keep: a.config.KeepCalls, KeepBytes: a.config.KeepBytes, BodyLimit: int(a.config.BodyLimit),
	})
	if err != nil {
		return err
	}
	answering := traffic.New(traffic.Config{Engine: decide, Log: a.log, Logger: a.logger, MaxBody: a.config.MaxBody,
		Upstream: upstream.New(upstream.Config{Forbidden: a.config.NoUpstream})})
	ca := authority.New(a.config.Data)
	a.assembleProxy(definitions, answering, ca)
	a.traffic = &http.Server{
		Handler:           answering,
		ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, ErrorLog: slog.NewLogLogger(a.logger.Handler(), slog.LevelDebug),
	}
	var fetchFrom func(context.Context, string) ([]byte, string, error)
	if a.config.ImportURLs {
		fetchFrom = fetch.New(control.MaxUpload, a.config.ImportPrivate).Fetch
	}
	proxyURL := ""
	if a.proxyListener != nil {
		proxyURL = baseURL(a.proxyListener)
	}
	streams, stopStreams := context.WithCancel(context.Background())
	a.stopStreams = stopStreams
	a.control = &http.Server{
		Handler: control.New(control.Config{
			Catalog: definitions, Log: a.log, Calls: a.store, Console: console.Files(), Logger: a.logger, Engine: decide, Masker: masker, Authority: ca, ProxyURL: proxyURL, Fetch: fetchFrom,
			Metrics: metrics.Handler(a.log, func() (services, mappings int) { return count(definitions.Snapshot()) }),
			Lapse:   a.lapse, Ready: a.ready.Load, Version: Version, StartedAt: a.started, Data: a.config.Data, AnyHost: a.config.OpenControl,
			ControlURL: baseURL(a.controlListener), TrafficURL: baseURL(a.trafficListener),
		}),
		ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, ErrorLog: slog.NewLogLogger(a.logger.Handler(), slog.LevelDebug),
		BaseContext: func(net.Listener) context.Context { return streams },
	}
	return nil
}

// assembleProxy builds the proxy port, where there is one.
func (a *app) assembleProxy(definitions *catalog.Catalog, answering *traffic.Handler, ca *authority.Authority) {
	if a.proxyListener == nil {
		return
	}
	a.proxy = &http.Server{
		Handler: traffic.NewProxy(traffic.ProxyConfig{
			Handler: answering, Certificate: ca.Certificate, Logger: a.logger, Only: a.config.OpenProxy || a.config.NoUpstream, Asks: a.config.ProxyAsks,
			Listed: func(host string) bool { return definitions.Snapshot().OnHost(host) != nil },
			Own:    []string{a.controlListener.Addr().String(), a.trafficListener.Addr().String(), a.proxyListener.Addr().String()},
		}),
		ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, ErrorLog: slog.NewLogLogger(a.logger.Handler(), slog.LevelDebug),
	}
}

func count(snapshot *catalog.Snapshot) (services, mappings int) {
	for _, s := range snapshot.Services() {
		services++
		mappings += len(s.Mappings)
	}
	return services, mappings
}

func randomSeed() (int64, error) {
	var b [8]byte
	if _, err := rand.Read(b[:]); err != nil {
		return 0, fmt.Errorf("draw a seed: %w", err)
	}
	return int64(binary.LittleEndian.Uint64(b[:]) >> 1), nil
}

func (a *app) run(ctx context.Context, ready func(config.Addresses)) error {
	logCtx, stopLog := context.WithCancel(context.WithoutCancel(ctx))
	var logDone errgroup.Group
	logDone.Go(func() error { return a.log.Run(logCtx) })

	var lapsing errgroup.Group
	lapsing.Go(func() error { a.lapseUntil(logCtx); return nil })

	servers, serving := errgroup.WithContext(ctx)
	servers.Go(func() error { return serve(a.traffic, a.trafficListener) })
	servers.Go(func() error { return serve(a.control, a.controlListener) })
	addresses := config.Addresses{Control: baseURL(a.controlListener), Traffic: baseURL(a.trafficListener), Data: a.config.Data}
	if a.proxy != nil {
		addresses.Proxy = baseURL(a.proxyListener)
		servers.Go(func() error { return serve(a.proxy, a.proxyListener) })
	}
	a.ready.Store(true)
	a.logger.Info("ready", "control", addresses.Control, "traffic", addresses.Traffic, "data", addresses.Data,
		"note", "positions, counters and draws begin anew with each start")
	ready(addresses)

	<-serving.Done()
	a.ready.Store(false)
	stopErr := a.stop()
	serveErr := servers.Wait()
	stopLog()
	return errors.Join(serveErr, stopErr, logDone.Wait(), lapsing.Wait())
}

// lapseEvery is how often what is over is cleared away. It is not in force before
// that either.
const lapseEvery = time.Second

func (a *app) lapseUntil(ctx context.Context) {
	ticker := time.NewTicker(lapseEvery)
	defer ticker.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-ticker.C:
			if err := a.lapse(context.WithoutCancel(ctx), now); err != nil {
				a.logger.Error("what is over could not be cleared away", "error", err)
			}
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
	ctx, cancel := context.WithTimeout(context.Background(), stopWithin)
	defer cancel()
	var both errgroup.Group
	for name, server := range map[string]*http.Server{"traffic": a.traffic, "control": a.control, "proxy": a.proxy} {
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
