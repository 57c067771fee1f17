package traffic

import (
	"bufio"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"syscall"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
)

// Proxy is the port for programs that cannot be re-pointed. Hosts that a service
// lists are its calls, over TLS too; everything else is passed on unread.
type Proxy struct {
	ProxyConfig

	mu       sync.Mutex // guards trusting
	trusting map[client]bool
}

// client is a program as the proxy can tell it apart: by its address, and the host
// that it speaks to.
type client struct{ address, host string }

// trustingMax bounds what the proxy remembers of clients; when it is full, it
// begins anew.
const trustingMax = 4096

// ProxyConfig is what a Proxy works with.
type ProxyConfig struct {
	Handler *Handler // answers the calls of services
	// Listed reports whether a service lists a host, given without its port, or a path of
	// it; Taken whether a call to it, by its escaped path, is for one.
	Listed func(host string) bool
	Taken  func(host, path string) bool
	// Certificate makes the certificate for a host that is intercepted.
	Certificate func(host string) (*tls.Certificate, error)
	// Dial makes the connections of tunnels, to where it may.
	Dial func(ctx context.Context, network, address string) (net.Conn, error)
	// Only refuses hosts that no service lists.
	Only bool
	// Asks has programs that call a listed host asked for the user name that they are
	// in a lane by; browsers give one only then.
	Asks   bool
	Logger *slog.Logger
}

// NewProxy builds a Proxy.
func NewProxy(c ProxyConfig) *Proxy {
	return &Proxy{ProxyConfig: c, trusting: make(map[client]bool)}
}

// ServeHTTP implements http.Handler.
func (p *Proxy) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch {
	case p.Asks && r.Header.Get("Proxy-Authorization") == "" && p.Listed(hostOf(r.Host)) && (r.Method == http.MethodConnect || r.URL.Host != ""):
		w.Header().Set("Proxy-Authenticate", `Basic realm="Rapid Mimic: the user name is the lane, - for none", charset="UTF-8"`)
		http.Error(w, "This proxy asks for a user name, which is the lane that the calls are in; - stands for none.", http.StatusProxyAuthRequired)
	case r.Method == http.MethodConnect:
		p.connect(w, r)
	case r.URL.Host == "":
		p.rootPage(w)
	case p.Taken(hostOf(r.URL.Host), r.URL.EscapedPath()):
		r.Host = r.URL.Host
		p.Handler.ServeHTTP(w, r.WithContext(withProxyUser(r.Context(), userOf(r))))
	default:
		address := r.URL.Host
		if r.URL.Port() == "" {
			address = net.JoinHostPort(r.URL.Hostname(), "80")
		}
		if p.Listed(hostOf(r.URL.Host)) || p.allowed(w, address) {
			p.forward(w, r, "http", r.URL.Host)
		}
	}
}

func (p *Proxy) rootPage(w http.ResponseWriter) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.WriteHeader(http.StatusBadRequest)
	fmt.Fprint(w, "This is Rapid Mimic's proxy port. Give it to a program as its HTTP and HTTPS proxy;\n"+
		"calls to the hosts that a service lists (service set NAME --hosts) are answered here,\neverything else is passed on unread.\n")
}

func hostOf(address string) string {
	if host, _, err := net.SplitHostPort(address); err == nil {
		return host
	}
	return strings.Trim(address, "[]")
}

// allowed reports whether a host that no service lists may be reached; else it
// answers so.
func (p *Proxy) allowed(w http.ResponseWriter, address string) bool {
	if p.Only {
		http.Error(w, "No service lists "+address+", and this proxy reaches only hosts that one does.", http.StatusForbidden)
		return false
	}
	return true
}

// connect is what clients ask for when they speak TLS, or something else, to a
// host: a listed one is intercepted, any other tunnelled.
func (p *Proxy) connect(w http.ResponseWriter, r *http.Request) {
	host := hostOf(r.Host)
	if !p.Listed(host) {
		p.tunnel(w, r)
		return
	}
	conn, buffered, err := http.NewResponseController(w).Hijack()
	if err != nil {
		http.Error(w, "The connection cannot be taken over.", http.StatusInternalServerError)
		return
	}
	if _, err := io.WriteString(conn, "HTTP/1.1 200 Connection established\r\n\r\n"); err != nil {
		_ = conn.Close()
		return
	}
	p.intercept(&bufferedConn{conn, buffered.Reader}, r.Host, host, userOf(r))
}

type proxyUserKey struct{}

func withProxyUser(ctx context.Context, user string) context.Context {
	if user == "" {
		return ctx
	}
	return context.WithValue(ctx, proxyUserKey{}, user)
}

// proxyUser is the user name that a client gave the proxy, "" for none.
func proxyUser(ctx context.Context) string {
	user, _ := ctx.Value(proxyUserKey{}).(string)
	return user
}

// userOf reads the user name that a client gives the proxy (RFC 7617), "" for none;
// it needs no password.
func userOf(r *http.Request) string {
	given := &http.Request{Header: http.Header{"Authorization": r.Header["Proxy-Authorization"]}}
	user, _, _ := given.BasicAuth()
	if user == call.NoLane {
		return ""
	}
	return user
}

// intercept speaks for a host on a connection, with a certificate of ours.
func (p *Proxy) intercept(conn net.Conn, address, host, user string) {
	secured := tls.Server(conn, &tls.Config{
		NextProtos: []string{"h2", "http/1.1", "http/1.0"}, MinVersion: tls.VersionTLS12,
		GetCertificate: func(hello *tls.ClientHelloInfo) (*tls.Certificate, error) {
			if hello.ServerName != "" && p.Listed(hello.ServerName) {
				return p.Certificate(hello.ServerName)
			}
			return p.Certificate(host)
		},
	})
	who := client{hostOf(conn.RemoteAddr().String()), host}
	_ = secured.SetDeadline(time.Now().Add(10 * time.Second))
	if err := secured.Handshake(); err != nil {
		_ = secured.Close()
		if !p.leftSpare(who, err) {
			p.notIntercepted(conn, address, err)
		}
		return
	}
	p.trust(who)
	_ = secured.SetDeadline(time.Time{})
	handler := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Host == "" {
			r.Host = address
		}
		if !p.Taken(hostOf(r.Host), r.URL.EscapedPath()) {
			p.forward(w, r, "https", address)
			return
		}
		p.Handler.ServeHTTP(w, r.WithContext(withProxyUser(r.Context(), user)))
	})
	quiet := slog.NewLogLogger(p.Logger.Handler(), slog.LevelDebug)
	one := &oneConn{conn: secured, done: make(chan struct{})}
	server := &http.Server{Handler: handler, ConnContext: WithConn, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, ErrorLog: quiet,
		ConnState: func(c net.Conn, state http.ConnState) {
			if below := tracked(c); below != nil {
				below.callOver(state)
			}
			if state == http.StateClosed || state == http.StateHijacked {
				one.end()
			}
		}}
	_ = server.Serve(one) // HTTP/2 too; it ends with the connection
}

// leftSilently reports whether a client closed its connection in the handshake and
// gave no reason.
func leftSilently(err error) bool {
	return errors.Is(err, io.EOF) || errors.Is(err, syscall.ECONNRESET) || errors.Is(err, syscall.EPIPE)
}

// trust remembers that a client takes our certificate for a host.
func (p *Proxy) trust(who client) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if len(p.trusting) >= trustingMax {
		clear(p.trusting)
	}
	p.trusting[who] = true
}

// trusts reports whether a client takes our certificate for a host.
func (p *Proxy) trusts(who client) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.trusting[who]
}

// spareTime is how long a client that left silently has to complete another
// handshake: browsers open several connections at once, and drop those in hand when
// the first one speaks HTTP/2.
const spareTime = time.Second

// leftSpare reports whether a client that took our certificate elsewhere closed a
// connection that it needed no more. It waits for up to spareTime.
func (p *Proxy) leftSpare(who client, err error) bool {
	if !leftSilently(err) {
		return false
	}
	if !p.trusts(who) {
		time.Sleep(spareTime)
	}
	return p.trusts(who)
}

// notIntercepted keeps a connection to a listed host on which no call could be
// made.
func (p *Proxy) notIntercepted(conn net.Conn, address string, err error) {
	record := &call.Record{Number: p.Handler.Log.Number(), At: time.Now(), Request: call.Request{
		Method: http.MethodConnect, Address: "/", Host: address, Caller: conn.RemoteAddr().String(), Protocol: "HTTP/1.1",
	}}
	var notTLS tls.RecordHeaderError
	why := "the client refused our certificate (" + err.Error() + "); rapidmimic ca trust-help tells how it comes to trust it, unless it knows the only certificate that it takes"
	switch {
	case errors.As(err, &notTLS):
		why = "the client speaks something else than TLS"
	case leftSilently(err):
		why = "the client closed the connection before it was secured, and gave no reason; when it does so each time, it may not trust our certificate: rapidmimic ca trust-help tells how it comes to"
	}
	d := p.Handler.Engine.NotIntercepted(&record.Request, why)
	record.Service, record.Source, record.By, record.Explanation = d.Service, d.Source, d.By, d.Explanation
	record.Answer.Status = engine.StatusCallerLeft
	p.Handler.Log.Add(record)
}

// tunnel joins the client and the host, unread.
func (p *Proxy) tunnel(w http.ResponseWriter, r *http.Request) {
	if !p.allowed(w, r.Host) {
		return
	}
	theirs, err := p.Dial(r.Context(), "tcp", r.Host)
	if err != nil {
		p.unreached(w, r.Host, err)
		return
	}
	defer theirs.Close()
	ours, buffered, err := http.NewResponseController(w).Hijack()
	if err != nil {
		return
	}
	defer ours.Close()
	if _, err := io.WriteString(ours, "HTTP/1.1 200 Connection established\r\n\r\n"); err != nil {
		return
	}
	done := make(chan struct{}, 2)
	go func() {
		_, _ = io.Copy(theirs, buffered) // either side may end at any time
		closeWrite(theirs)
		done <- struct{}{}
	}()
	go func() {
		_, _ = io.Copy(ours, theirs)
		closeWrite(ours)
		done <- struct{}{}
	}()
	<-done
	<-done
}

// unreached says why a host was not reached: because it may not be, or could not.
func (p *Proxy) unreached(w http.ResponseWriter, host string, err error) {
	status, why := p.Handler.Upstream.Explain(err)
	if status == http.StatusLoopDetected {
		http.Error(w, "The proxy does not reach Rapid Mimic's own ports.", http.StatusForbidden)
		return
	}
	http.Error(w, host+" was not reached: "+why+".", status)
}

// closeWrite tells the other side that nothing more comes, and leaves it the
// rest to say.
func closeWrite(conn net.Conn) {
	if half, ok := conn.(interface{ CloseWrite() error }); ok {
		_ = half.CloseWrite()
		return
	}
	_ = conn.Close()
}

// forward passes a call on to a host, unread and not logged: one in plain HTTP, or one
// to a host of which services list other paths.
func (p *Proxy) forward(w http.ResponseWriter, r *http.Request, scheme, host string) {
	out := r.Clone(r.Context())
	out.RequestURI, out.URL = "", &url.URL{Scheme: scheme, Host: host, Path: r.URL.Path, RawPath: r.URL.RawPath, RawQuery: r.URL.RawQuery}
	out.Header = http.Header(engine.WithoutHints(engine.EndToEnd(map[string][]string(r.Header))))
	resp, err := p.Handler.Upstream.RoundTrip(out)
	if err != nil {
		p.unreached(w, host, err)
		return
	}
	defer resp.Body.Close()
	for name, values := range engine.EndToEnd(map[string][]string(resp.Header)) {
		w.Header()[name] = values
	}
	w.WriteHeader(resp.StatusCode)
	if _, err := io.Copy(flushing{w, http.NewResponseController(w)}, resp.Body); err != nil && !errors.Is(err, r.Context().Err()) {
		panic(http.ErrAbortHandler) // the answer is not whole
	}
}

// flushing sends everything at once.
type flushing struct {
	io.Writer
	controller *http.ResponseController
}

func (f flushing) Write(b []byte) (int, error) {
	n, err := f.Writer.Write(b)
	_ = f.controller.Flush()
	return n, err
}

// bufferedConn is a connection of which something was read already.
type bufferedConn struct {
	net.Conn
	reader *bufio.Reader
}

func (c *bufferedConn) Read(b []byte) (int, error) { return c.reader.Read(b) }

// NetConn is the connection below.
func (c *bufferedConn) NetConn() net.Conn { return c.Conn }

// oneConn is a listener that has a single connection, and ends with it.
type oneConn struct {
	conn  net.Conn
	given bool
	once  sync.Once
	done  chan struct{}
}

func (l *oneConn) end() { l.once.Do(func() { close(l.done) }) }

// Accept implements net.Listener.
func (l *oneConn) Accept() (net.Conn, error) {
	if !l.given {
		l.given = true
		return l.conn, nil
	}
	<-l.done
	return nil, net.ErrClosed
}

// Close implements net.Listener.
func (l *oneConn) Close() error {
	l.end()
	return nil
}

// Addr implements net.Listener.
func (l *oneConn) Addr() net.Addr { return l.conn.LocalAddr() }
