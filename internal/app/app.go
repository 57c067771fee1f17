// Package app is the composition root: it builds every part of a running
// service, owns all goroutines, and stops them in order.
//
// Starting: store, catalog, call log, engine, listeners. Stopping goes the
// other way, so that calls in flight are finished and every finished call is
// in the log before the store closes.
package app

import (
	"cmp"
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
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/gofrs/flock"
	"golang.org/x/sync/errgroup"

	"rapidmimic.example/internal/authority"
	"rapidmimic.example/internal/calllog"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/internal/console"
	"rapidmimic.example/internal/control"
	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/secret"
	"rapidmimic.example/internal/fetch"
	"rapidmimic.example/internal/memory"
	"rapidmimic.example/internal/metrics"
	"rapidmimic.example/internal/outgoing"
	"rapidmimic.example/internal/rescue"
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
	relaxCollector(limit)
	a := &app{config: cfg, logger: logger, started: time.Now(), memory: shareOut(limit)}
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

// relaxCollector lets the heap grow to several times what is in use before it
// is collected: calls leave much behind that is dead at once, and what is in
// use is small. Near the limit of memory it collects more often instead. GOGC and
// GOMEMLIMIT, when set, are obeyed instead.
func relaxCollector(limit int64) {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(400)
	}
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(limit / 10 * 9)
	}
}

// shares are the parts of the memory that work of one kind may take. What is left is
// for definitions, connections and the database.
type shares struct {
	uploads, bodies *memory.Ledger
	logBuffer       int
}

func shareOut(limit int64) shares {
	return shares{
		uploads: memory.NewLedger(limit / 2), bodies: memory.NewLedger(limit / 4),
		logBuffer: int(min(calllog.DefaultBufferBytes, limit/8)),
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
	tokens    *access.Tokens
	tls       *certificates                          // nil where the ports have none
	signIn    *signin.Provider                       // nil for none
	expire    func(context.Context, time.Time) error // ends what is over
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

func (a *app) build(ctx context.Context) (err error) {
	if a.store, err = store.Open(ctx, a.config.Data, a.config.AcceptLoss); err != nil {
		return fmt.Errorf("data folder %s: %w", a.config.Data, err)
	}
	if err := a.assemble(ctx); err != nil {
		return errors.Join(err, a.store.Close())
	}
	return nil
}

func (a *app) assemble(ctx context.Context) error {
	standIns, err := digestKey(a.config.Data, a.config.DigestKey)
	if err != nil {
		return err
	}
	if err := a.store.SealWith(standIns); err != nil {
		return err
	}
	definitions, err := catalog.Open(ctx, a.store)
	if err != nil {
		return err
	}
	definitions.SetHostRule(a.config.InterceptRule)
	for _, aside := range definitions.Aside() {
		a.logger.Error("a definition cannot be used and was set aside; it stays stored", "what", aside.What, "reason", aside.Reason)
	}
	old, err := a.store.TakeSecret(ctx, "masking")
	if err != nil {
		return err
	}
	key, err := openMaskKey(a.config.Data, old, secret.NewRules(a.config.Mask, a.config.MaskNot), secret.NewStandIns(standIns), a.logger)
	if err != nil {
		return err
	}
	masker := key.masker
	definitions.OnSecrets(masker.Know)
	seed, err := randomSeed()
	if err != nil {
		return err
	}
	gate := traffic.NewGate(max(1, runtime.GOMAXPROCS(0)/2), heavyWait)
	decide := engine.New(engine.Config{Definitions: definitions, State: &engine.Memory{}, Control: a.baseURL(a.controlListener), RunSeed: seed, Now: time.Now,
		Gate: gate, Secrets: masker, Listed: a.config.IsListed, LaneCalls: a.config.LaneCalls()})
	a.log, err = calllog.Open(ctx, calllog.Config{
		Store: a.store, Masker: masker, Turned: key.turned, Checker: decide, Logger: a.logger,
		Keep: a.config.KeepCalls, KeepBytes: a.config.KeepBytes, BodyLimit: int(a.config.BodyLimit), BufferBytes: a.memory.logBuffer,
	})
	if err != nil {
		return err
	}
	if a.tokens, err = access.Open(ctx, a.store); err != nil {
		return err
	}
	ca := authority.New(a.config.Data, a.mayCertify())
	if a.tls, err = newCertificates(a.config, ca, a.logger); err != nil {
		return err
	}
	if a.config.SignIn != "" {
		groups, err := signin.ParseGroups(a.config.SignInGroups)
		if err != nil {
			return err
		}
		a.signIn = signin.New(signin.Config{Issuer: a.config.SignIn, ClientID: a.config.SignInClient, ClientSecret: a.config.SignInSecret, Groups: groups,
			Claim: a.config.SignInClaim, Callback: a.baseURL(a.controlListener) + "/sign-in/back"})
	}
	a.assembleExpiry(definitions, decide)
	a.assembleTraffic(definitions, decide, ca)
	a.assembleControl(definitions, decide, masker, gate, ca)
	return nil
}

// mayCertify are the hosts that our own authority may speak for; none for all.
func (a *app) mayCertify() []string {
	if len(a.config.Intercept) == 0 || !a.config.TLSOwn {
		return a.config.Intercept
	}
	return slices.Concat(a.config.Intercept, a.config.Names, []string{"localhost"})
}

// assembleExpiry builds what clears away what is over.
func (a *app) assembleExpiry(definitions *catalog.Catalog, decide *engine.Engine) {
	a.expire = func(ctx context.Context, now time.Time) error {
		if err := a.store.CheckFolder(); err != nil {
			return err
		}
		back, nightly := definitions.ReturnNightly(ctx, now)
		if back != nil && nightly == nil {
			a.logger.Info("everything came back for the night", "mark", back.Name)
			decide.ResetLane(nil)
		}
		closed, err := definitions.Expire(ctx, now)
		for _, lane := range closed {
			decide.ResetLane(lane)
			a.log.ForgetLane(lane.Spec.Name)
			a.logger.Info("lane expired", "lane", lane.Spec.Name)
		}
		decide.ForgetOff()
		return errors.Join(nightly, err, a.tokens.KeepUsed(ctx, now))
	}
}

// assembleTraffic builds the ports that programs call.
func (a *app) assembleTraffic(definitions *catalog.Catalog, decide *engine.Engine, ca *authority.Authority) {
	a.upstreams = upstream.New(upstream.Config{Forbidden: a.config.NoUpstream, Rules: a.outgoing(false)})
	answering := traffic.New(traffic.Config{Engine: decide, Log: a.log, Logger: a.logger, MaxBody: a.config.MaxBody, RecordLimit: int(a.config.RecordLimit),
		BodyTimeout: a.config.BodyTimeout, Memory: a.memory.bodies,
		Upstream: a.upstreams})
	a.assembleProxy(definitions, answering, ca)
	a.called = traffic.NewListener(a.trafficListener, a.maxConnections(), a.config.WriteTimeout, answering.Malformed)
	a.traffic = a.server(answering)
	a.traffic.ConnState, a.traffic.DisableGeneralOptionsHandler = a.called.Track, true
}

// outgoing are the rules for connections to others; public keeps them from this machine
// and private networks.
func (a *app) outgoing(public bool) *outgoing.Rules {
	rules := &outgoing.Rules{Hosts: a.config.Upstreams, Public: public}
	for _, l := range []net.Listener{a.controlListener, a.trafficListener, a.proxyListener, a.metricsListener} {
		if l != nil {
			rules.Own = append(rules.Own, l.Addr().String())
		}
	}
	return rules
}

// assembleControl builds the port of the API and the console.
func (a *app) assembleControl(definitions *catalog.Catalog, decide *engine.Engine, masker *secret.Masker, gate budget.Gate, ca *authority.Authority) {
	c := control.Config{
		Catalog: definitions, Log: a.log, Calls: a.store, Walks: a.store, Console: console.Files(), Logger: a.logger, Engine: decide, Masker: masker, Authority: ca,
		Metrics: metrics.Handler(a.log, func() (services, mappings int) { return count(definitions.Snapshot()) }, func() metrics.Limits { return a.limits(decide) }),
		Memory:  a.memory.uploads, Gate: gate, Upstream: a.upstreams,
		Expire: a.expire, Ready: a.ready.Load, Lost: a.store.Lost, Version: Version, StartedAt: a.started, Data: a.config.Data, AnyHost: a.config.OpenControl && !a.config.TLS(),
		Hosts: slices.Concat(a.config.Names, []string{a.publicName()}), Tokens: a.tokens,
		NeedToken: a.config.AsksForTokens(), OpenView: a.config.OpenControl,
		CertificateExpires: a.tls.expires, Backup: a.backup, LogLevel: a.config.LogLevel,
		RequestsPerSecond: a.config.RequestsPerSecond, ChangesPerMinute: a.config.ChangesPerMinute,
		LanesPerToken: a.config.LanesPerToken, LaneCallsPerSecond: a.config.LaneCalls(),
		ControlURL: a.baseURL(a.controlListener), TrafficURL: a.baseURL(a.trafficListener),
	}
	if a.signIn != nil {
		c.SignIn, c.SessionFor = a.signIn, cmp.Or(a.config.SignInFor, 12*time.Hour)
	}
	if a.config.ImportURLs {
		c.Fetch = fetch.New(control.MaxUpload, a.outgoing(!a.config.ImportPrivate)).Fetch
	}
	if a.metricsListener != nil {
		alone := http.NewServeMux()
		alone.Handle("GET /metrics", c.Metrics)
		a.metrics = a.server(alone)
	}
	if a.proxyListener != nil {
		c.ProxyURL = a.baseURL(a.proxyListener)
	}
	streams, stopStreams := context.WithCancel(context.Background())
	a.stopStreams = stopStreams
	port := control.New(c)
	a.endUnattended = port.EndUnattended
	a.control = a.server(port)
	a.control.WriteTimeout = 10 * a.config.WriteTimeout // a stream lifts it
	a.control.BaseContext = func(net.Listener) context.Context { return streams }
}

// heavyWait is how long a call that takes much work waits for others that do.
const heavyWait = 5 * time.Second

// server builds the server of a port with the timeouts that all have.
func (a *app) server(handler http.Handler) *http.Server {
	return &http.Server{
		Handler: handler, ConnContext: traffic.WithConn, ReadHeaderTimeout: a.config.HeaderTimeout, IdleTimeout: a.config.IdleTimeout,
		ErrorLog: slog.NewLogLogger(a.logger.Handler(), slog.LevelDebug), MaxHeaderBytes: maxHeader,
	}
}

// maxHeader bounds the head of a request, in bytes.
const maxHeader = 256 << 10

// descriptors that are kept for the control port, the database and upstreams.
const descriptors = 256

// maxConnections is how many connections one of the ports that programs call may
// have: half of what the system allows, less a reserve, unless a number is given.
func (a *app) maxConnections() int {
	if a.config.MaxConnections > 0 {
		return a.config.MaxConnections
	}
	var limit syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit); err != nil {
		return 4_096
	}
	return int(max(int64(min(limit.Cur, 1<<20))-descriptors, 64) / 2)
}

// assembleProxy builds the proxy port, where there is one.
func (a *app) assembleProxy(definitions *catalog.Catalog, answering *traffic.Handler, ca *authority.Authority) {
	if a.proxyListener == nil {
		return
	}
	a.proxied = traffic.NewListener(a.proxyListener, a.maxConnections(), a.config.WriteTimeout, answering.Malformed)
	a.proxy = a.server(traffic.NewProxy(traffic.ProxyConfig{
		Handler: answering, Certificate: ca.Certificate, Logger: a.logger, Only: a.config.OpenProxy || a.config.NoUpstream, Asks: a.config.ProxyAsks,
		Listed: func(host string) bool { return definitions.Snapshot().ListsHost(host) },
		Taken: func(host, path string) bool {
			service, _ := definitions.Snapshot().OnHost(host, path)
			return service != nil
		},
		Dial: a.outgoing(false).Dial,
	}))
	a.proxy.ConnState = a.proxied.Track
}

// limits counts what was done to stay within limits.
func (a *app) limits(decide *engine.Engine) metrics.Limits {
	l := metrics.Limits{Faults: rescue.Faults(), CallersForgotten: decide.Forgotten(), BodiesRefused: a.memory.bodies.Refused(), UploadsRefused: a.memory.uploads.Refused()}
	for _, listener := range []*traffic.Listener{a.called, a.proxied} {
		if listener != nil {
			l.ConnectionsOpen += int64(listener.Open())
			l.ConnectionsClosed += listener.Closed()
		}
	}
	return l
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

	servers, serving := errgroup.WithContext(ctx)
	servers.Go(func() error {
		return serve(a.traffic, a.tls.asking(a.called, a.config.HeaderTimeout, "h2", "http/1.1"))
	})
	servers.Go(func() error {
		return serve(a.control, a.tls.listener(a.controlListener, a.config.HeaderTimeout, "h2", "http/1.1"))
	})
	if a.proxy != nil {
		servers.Go(func() error { return serve(a.proxy, a.tls.listener(a.proxied, a.config.HeaderTimeout, "http/1.1")) })
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
	defer a.upstreams.Close()
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
