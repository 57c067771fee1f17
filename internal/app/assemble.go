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
	"runtime"
	"slices"
	"sync"
	"syscall"
	"time"

	"rapidmimic.example/internal/authority"
	"rapidmimic.example/internal/callback"
	"rapidmimic.example/internal/calllog"
	"rapidmimic.example/internal/console"
	"rapidmimic.example/internal/control"
	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/grant"
	"rapidmimic.example/internal/core/secret"
	"rapidmimic.example/internal/fetch"
	"rapidmimic.example/internal/metrics"
	"rapidmimic.example/internal/outgoing"
	"rapidmimic.example/internal/rescue"
	"rapidmimic.example/internal/scripts"
	"rapidmimic.example/internal/signin"
	"rapidmimic.example/internal/store"
	"rapidmimic.example/internal/traffic"
	"rapidmimic.example/internal/upstream"
)

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
	read := a.memory.collector.Heavy() // contracts may be large
	definitions, err := catalog.Open(ctx, a.store)
	read()
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
	a.scripts = scripts.NewPool("", min(4, max(2, runtime.GOMAXPROCS(0))))
	var runs engine.Scripts
	if !a.config.NoScripts {
		runs = a.scripts
	}
	decide := engine.New(engine.Config{Definitions: definitions, State: &engine.Memory{}, Control: a.baseURL(a.controlListener), RunSeed: seed, Now: time.Now,
		Gate: gate, Secrets: masker, Listed: a.config.IsListed, LaneCalls: a.config.LaneCalls(), Scripts: runs,
		SigningKey: sync.OnceValues(func() (*grant.Key, error) { return signingKey(a.config.Data) })})
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
	a.kept = make(map[collection.Space]uint64)
	if err := a.restoreMemory(ctx, decide.Memory()); err != nil {
		return err
	}
	a.remembered = decide.Memory()
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
		a.callbacks.Sweep()
		return errors.Join(nightly, err, a.tokens.KeepUsed(ctx, now))
	}
}

// assembleTraffic builds the ports that programs call.
func (a *app) assembleTraffic(definitions *catalog.Catalog, decide *engine.Engine, ca *authority.Authority) {
	a.upstreams = upstream.New(upstream.Config{Forbidden: a.config.NoUpstream, Rules: a.outgoing(false)})
	a.strangers = upstream.New(upstream.Config{Forbidden: a.config.NoUpstream, Rules: a.outgoing(true)})
	a.callbacks = callback.New(callback.Config{Public: a.strangers, Private: a.upstreams, Log: a.log, Logger: a.logger, Wanted: decide.WantsCallback})
	answering := traffic.New(traffic.Config{Engine: decide, Log: a.log, Logger: a.logger, MaxBody: a.config.MaxBody, RecordLimit: int(a.config.RecordLimit),
		BodyTimeout: a.config.BodyTimeout, Memory: a.memory.bodies,
		Upstream: a.upstreams, Callbacks: a.callbacks})
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
		Memory:  a.memory.uploads, Gate: gate, Upstream: a.upstreams, Callbacks: a.callbacks,
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
