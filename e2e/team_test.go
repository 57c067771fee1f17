package e2e

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/demo"
	"rapidmimic.example/e2e/browser"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// startTeam is a demo that asks for tokens.
func startTeam(t testing.TB, cfg config.Config) *service {
	cfg.NeedTokens = true
	s := start(t, cfg)
	require.NotEmpty(t, s.secret, "the first start tells the administrator's token")
	require.NoError(t, demo.SetUp(t.Context(), s.api))
	return s
}

// holder is a client with a token of its own, and the secret.
func (s *service) holder(wanted api.TokenRequest) (*client.Client, string) {
	made, err := s.api.CreateToken(s.t.Context(), wanted)
	require.NoError(s.t, err)
	c, err := client.New(s.control)
	require.NoError(s.t, err)
	s.t.Cleanup(c.Close)
	c.SetToken(made.Secret)
	return c, made.Secret
}

// Several people and a pipeline share an environment: each may do what their token is for,
// sees what it reaches to, and stands in the activity by its name.
func TestATeamSharesAnEnvironment(t *testing.T) {
	t.Parallel()
	s := startTeam(t, config.Config{Metrics: "127.0.0.1:0"})
	ctx := t.Context()
	for address, want := range map[string]int{s.control + "/metrics": 401, s.addresses.Metrics: 200, strings.TrimSuffix(s.addresses.Metrics, "/metrics") + "/api/v1/services": 404} {
		answer, err := http.Get(address)
		require.NoError(t, err)
		_ = answer.Body.Close()
		assert.Equal(t, want, answer.StatusCode, address)
	}
	nobody, err := client.New(s.control)
	require.NoError(t, err)
	t.Cleanup(nobody.Close)
	_, err = nobody.Status(ctx)
	require.ErrorContains(t, err, "this environment asks for a token")
	assert.Regexp(t, "^200", s.says("GET /moorings/berths"), "programs call as ever")

	ci, _ := s.holder(api.TokenRequest{Name: "ci", Role: "editor", Services: []string{"moorings"}, Lanes: []string{"ci-*"}, TTL: "1h"})
	eve, _ := s.holder(api.TokenRequest{Name: "eve", Role: "viewer"})
	_, err = ci.PatchService(ctx, "moorings", []byte(`{"seed": 7}`))
	require.NoError(t, err)
	_, err = ci.PatchService(ctx, "moorings", []byte(`{"name": "tides-2"}`))
	assert.ErrorContains(t, err, `service "tides-2"`, "it cannot rename itself out of its limits")
	_, err = ci.PatchService(ctx, "tides", []byte(`{"seed": 7}`))
	assert.ErrorContains(t, err, `you may not change service "tides": token "ci" is an editor of moorings, lanes ci-*`)
	_, err = eve.PatchService(ctx, "moorings", []byte(`{"seed": 8}`))
	assert.ErrorContains(t, err, "that takes an editor of moorings")

	s.says("GET /tides/notice")
	services, err := ci.Services(ctx)
	require.NoError(t, err)
	require.Len(t, services, 1)
	assert.Equal(t, "moorings", services[0].Name)
	require.Eventually(t, func() bool {
		all, err := eve.Calls(ctx, client.CallQuery{})
		require.NoError(t, err)
		return len(all.Items) == 2
	}, 5*time.Second, 50*time.Millisecond)
	calls, err := ci.Calls(ctx, client.CallQuery{})
	require.NoError(t, err)
	require.Len(t, calls.Items, 1)
	assert.Equal(t, "moorings", calls.Items[0].Service)
	list, err := ci.Activity(ctx, client.ActivityQuery{Limit: 100})
	require.NoError(t, err)
	for _, e := range list.Items {
		assert.Equal(t, []string{"moorings"}, e.Services, e.Lines)
	}
	assert.Contains(t, list.Items[0].Lines[0], "was refused: PATCH /api/v1/services/moorings", "refusals are told")
	assert.Equal(t, []string{"eve", "ci"}, []string{list.Items[0].By, list.Items[1].By})
	_, err = ci.PatchService(ctx, "moorings", []byte(`{"seed": 9}`))
	require.NoError(t, err)
	_, err = s.api.SwitchImpairments(ctx, true)
	require.NoError(t, err)
	for who, c := range map[string]*client.Client{"ci": ci, "eve": eve} {
		asked, err := c.Call(ctx, calls.Items[0].ID)
		require.NoError(t, err)
		lines := ""
		for _, e := range asked.ChangedSince {
			lines += strings.Join(e.Lines, "\n") + "\n"
		}
		assert.Contains(t, lines, "changed service moorings", who)
		assert.Equal(t, who == "eve", strings.Contains(lines, "switched all impairments off"), "%s sees %s", who, lines)
	}
	theirs, err := eve.Calls(ctx, client.CallQuery{Service: "tides"})
	require.NoError(t, err)
	require.Len(t, theirs.Items, 1)
	_, err = ci.TryMapping(ctx, "moorings", api.TrialRequest{Document: `{call: {path: "/notice"}, answer: {text: a}}`, Call: theirs.Items[0].ID, Expressions: []string{"call.headers"}})
	assert.ErrorContains(t, err, "was not for service \"moorings\"", "a trial tells nothing of calls of other services")
	_, err = s.api.PutScenarios(ctx, []byte(`{name: two, services: {moorings: {mode: answer}, tides: {off: true}}}`))
	require.NoError(t, err)
	for who, c := range map[string]*client.Client{"ci": ci, "eve": eve} {
		scenario, err := c.Scenario(ctx, "two")
		require.NoError(t, err)
		assert.Contains(t, scenario.Services, "moorings")
		items, err := c.Differences(ctx, "24h")
		require.NoError(t, err)
		told := fmt.Sprint(scenario.Services, scenario.Lines, scenario.Differences, items)
		assert.Equal(t, who == "eve", strings.Contains(told, "tides"), "%s sees %s", who, told)
	}
	last, err := s.api.Activity(ctx, client.ActivityQuery{Service: "tides", Limit: 5})
	require.NoError(t, err)
	assert.Regexp(t, `level=INFO msg=request id=r-\w+ method=PATCH path=/api/v1/services/tides status=403 ms=\d+ bytes=\d+ token=ci from=127.0.0.1`, s.log.String())
	_, err = eve.SetLogLevel(ctx, "error")
	assert.ErrorContains(t, err, "takes an admin")
	level, err := s.api.SetLogLevel(ctx, "warn")
	require.NoError(t, err)
	assert.Equal(t, "warn", level.Level)
	before := s.log.String()
	_, err = s.api.SetLogLevel(ctx, "loud")
	assert.ErrorContains(t, err, "level must be debug, info, warn or error")
	assert.Equal(t, before, s.log.String(), "it writes less now")
	_, err = ci.Undo(ctx, last.Items[0].ID)
	assert.ErrorContains(t, err, `is also about what token "ci" may not see or change`)
}

// A stream ends within a second of its token being revoked.
func TestAStreamEndsWithItsToken(t *testing.T) {
	t.Parallel()
	s := startTeam(t, config.Config{})
	eve, secret := s.holder(api.TokenRequest{Name: "eve", Role: "viewer"})
	stream, err := eve.Follow(t.Context(), client.CallQuery{}, "")
	require.NoError(t, err)
	defer stream.Close()
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for {
			if _, err := stream.Next(); err != nil {
				return
			}
		}
	}()
	require.NoError(t, s.api.RevokeToken(t.Context(), "eve"))
	select {
	case <-ended:
	case <-time.After(time.Second):
		t.Error("the stream goes on")
	}
	again, err := client.New(s.control)
	require.NoError(t, err)
	defer again.Close()
	again.SetToken(secret)
	_, err = again.Status(t.Context())
	assert.ErrorContains(t, err, "was revoked")
}

// Over TLS by our own authority: curl and Node with the authority given, the command line after
// login, HTTP and HTTPS at one port, and nobody's token in clear.
func TestTLSOfOurOwn(t *testing.T) {
	t.Parallel()
	s := startTeam(t, config.Config{TLSOwn: true, Names: []string{"mimic.qa.test"}})
	require.Contains(t, s.addresses.Control, "https://localhost:")
	ca := filepath.Join(s.data, "authority.pem")
	target := s.addresses.Traffic + "/moorings/berths"
	for _, c := range [][]string{
		{"curl", "-s", "--cacert", ca, "--http2", "-w", " %{http_version}", target},
		{"curl", "-s", "--cacert", ca, "--http1.1", "-w", " %{http_version}", target},
		{"curl", "-s", "--cacert", ca, "--http1.0", "-w", " %{http_version}", target},
		{"curl", "-s", "-w", " %{http_version}", s.traffic + "/moorings/berths"},
		{"node", "-e", "require('https').get(process.argv[1], {ca: require('fs').readFileSync(process.argv[2])}, (r) => { r.on('data', (d) => process.stdout.write(d)); r.on('end', () => console.log(' ' + r.httpVersion)) })", target, ca},
	} {
		out, err := exec.Command(c[0], c[1:]...).CombinedOutput()
		require.NoError(t, err, "%s", out)
		assert.Contains(t, string(out), `"number"`, c)
		assert.Regexp(t, ` (1|1.1|2)\n?$`, string(out), c)
	}
	named := strings.Replace(target, "localhost", "mimic.qa.test", 1)
	u, err := url.Parse(named)
	require.NoError(t, err)
	out, err := exec.Command("curl", "-s", "--cacert", ca, "--resolve", u.Host+":127.0.0.1", named).CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Contains(t, string(out), `"number"`)

	home := t.TempDir()
	run := func(in string, args ...string) (string, error) {
		c := exec.Command(binary, args...)
		c.Env, c.Stdin = append(os.Environ(), "HOME="+home, "XDG_CONFIG_HOME="+home, "DBUS_SESSION_BUS_ADDRESS=", "RAPIDMIMIC_URL=", "RAPIDMIMIC_TOKEN="), strings.NewReader(in)
		out, err := c.CombinedOutput()
		return string(out), err
	}
	said, err := run("", "--url", s.addresses.Control, "status")
	require.Error(t, err)
	assert.Contains(t, said, "nothing on this machine trusts the certificate")
	said, err = run(s.secret, "login", s.addresses.Control)
	require.Error(t, err)
	assert.Contains(t, said, "compare the fingerprint that serve prints")
	said, err = run("rapidmimic_wrong", "login", s.addresses.Control, "--fingerprint", s.addresses.Fingerprint)
	require.Error(t, err)
	assert.Contains(t, said, "that is no token of Rapid Mimic")
	said, err = run(s.secret, "login", s.addresses.Control, "--fingerprint", strings.ToUpper(s.addresses.Fingerprint))
	require.NoError(t, err, said)
	assert.Contains(t, said, "as admin, admin")
	info, err := os.Stat(filepath.Join(home, "rapidmimic", "credentials.json"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	said, err = run("", "service", "list")
	require.NoError(t, err, said)
	assert.Contains(t, said, s.addresses.Traffic+"/moorings", "addresses are as others see them")
	said, err = run("", "logout")
	require.NoError(t, err, said)
	said, _ = run("", "--url", s.control, "status")
	assert.Contains(t, said, "asks for a token")
}

// A certificate of files is read again when they change; one that does not fit its key keeps
// the service from starting, and later is passed over.
func TestACertificateIsReadAgain(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	cert, key := filepath.Join(folder, "cert.pem"), filepath.Join(folder, "key.pem")
	writePair(t, cert, key, "first")
	s := start(t, config.Config{TLSCert: cert, TLSKey: key})
	shown := func() string {
		conn, err := tls.Dial("tcp", strings.TrimPrefix(s.addresses.Traffic, "https://"), &tls.Config{InsecureSkipVerify: true})
		require.NoError(t, err)
		defer conn.Close()
		return conn.ConnectionState().PeerCertificates[0].Subject.CommonName
	}
	assert.Equal(t, "first", shown())
	require.NoError(t, os.WriteFile(cert, []byte("no certificate"), 0o600))
	require.Eventually(t, func() bool {
		_ = shown()
		return strings.Contains(s.log.String(), "the new certificate cannot be used")
	}, 10*time.Second, 200*time.Millisecond)
	assert.Equal(t, "first", shown())
	writePair(t, cert, key, "second")
	require.Eventually(t, func() bool { return shown() == "second" }, 10*time.Second, 200*time.Millisecond)

	other := filepath.Join(folder, "other.pem")
	writePair(t, filepath.Join(folder, "x.pem"), other, "other")
	out, err := exec.Command(binary, "serve", "--data", t.TempDir(), "--control", "127.0.0.1:0", "--traffic", "127.0.0.1:0", "--proxy", "", "--tls-cert", cert, "--tls-key", other).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "private key does not match")
}

func writePair(t *testing.T, cert, key, name string) {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: name}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), DNSNames: []string{"localhost"}, IsCA: true, BasicConstraintsValid: true}
	raw, err := x509.CreateCertificate(rand.Reader, template, template, &private.PublicKey, private)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	for file, block := range map[string]*pem.Block{key: {Type: "PRIVATE KEY", Bytes: secret}, cert: {Type: "CERTIFICATE", Bytes: raw}} {
		require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(block), 0o600))
	}
}

// A program may show a certificate: the call tells whose, and answers can differ by it. One of
// another authority does not get in, and none is needed.
func TestClientsShowCertificates(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	at := func(name string) string { return filepath.Join(folder, name) }
	writePair(t, at("board.pem"), at("board.key"), "quay-board")
	writePair(t, at("other.pem"), at("other.key"), "other")
	s := start(t, config.Config{TLSOwn: true, Names: []string{"mimic.qa.test"}, ClientCA: at("board.pem")})
	require.NoError(t, demo.SetUp(t.Context(), s.api))
	s.put(t, "PUT", "/services/moorings/mappings/board", `{call: {path: /who, if: 'call.certificate == "CN=quay-board"'}, answer: {text: "the board: ${call.certificate}"}}`)
	ask := func(more ...string) (string, error) {
		out, err := exec.Command("curl", append([]string{"-s", "--cacert", filepath.Join(s.data, "authority.pem"), s.addresses.Traffic + "/moorings/who"}, more...)...).Output()
		return string(out), err
	}
	said, err := ask("--cert", at("board.pem"), "--key", at("board.key"))
	require.NoError(t, err)
	assert.Equal(t, "the board: CN=quay-board", said)
	said, err = ask()
	require.NoError(t, err)
	assert.NotContains(t, said, "the board")
	_, err = ask("--cert", at("other.pem"), "--key", at("other.key"))
	require.Error(t, err)
	calls, err := s.api.Calls(t.Context(), client.CallQuery{})
	require.NoError(t, err)
	require.Len(t, calls.Items, 2)
	shown, err := s.api.Call(t.Context(), calls.Items[1].ID)
	require.NoError(t, err)
	assert.Equal(t, "CN=quay-board", shown.Certificate)
}

// Who has lost all tokens and has the machine creates one, while the service is stopped.
func TestAnAdministratorsTokenIsRecovered(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := startTeam(t, config.Config{Data: folder})
	first := s.secret
	out, err := exec.Command(binary, "token", "create", "rescue", "--data", folder).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "is in use by another Rapid Mimic")
	s.stop()
	out, err = exec.Command(binary, "token", "create", "rescue", "--data", folder).Output()
	require.NoError(t, err)
	_, secret, _ := bytes.Cut(out, []byte("token     "))
	secret, _, _ = bytes.Cut(secret, []byte("\n"))

	s = start(t, config.Config{Data: folder, NeedTokens: true})
	assert.Empty(t, s.secret, "there are tokens already")
	for _, token := range []string{first, string(secret)} {
		s.api.SetToken(token)
		me, err := s.api.Me(context.Background())
		require.NoError(t, err)
		assert.Equal(t, "admin", me.Role)
	}
}

// What the page about teams says to type works in its order.
func TestTheCommandsOfTheTeamPage(t *testing.T) {
	t.Parallel()
	s := startTeam(t, config.Config{})
	text, err := os.ReadFile(docsFolder + "team.md")
	require.NoError(t, err)
	ran, folder := 0, t.TempDir()
	for _, line := range strings.Split(string(text), "\n") {
		if !strings.HasPrefix(line, "rapidmimic ") || strings.HasPrefix(line, "rapidmimic serve") || strings.HasPrefix(line, "rapidmimic login") {
			continue // which have tests of their own
		}
		c := exec.Command("sh", "-c", strings.ReplaceAll(line, "/srv/", folder+"/"))
		c.Dir = folder
		c.Env = append(os.Environ(), "HOME="+t.TempDir(), "RAPIDMIMIC_URL="+s.control, "RAPIDMIMIC_TOKEN="+s.secret, "PATH="+filepath.Dir(binary)+":"+os.Getenv("PATH"))
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s: %s", line, out)
		ran++
	}
	assert.Greater(t, ran, 9)
}

// Who has the console open sees who else has, and that a colleague has the same mapping open,
// before their edits meet; who leaves is gone.
func TestConsoleTellsWhoIsHere(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	mara := s.page("/services/moorings/mappings/berth-under-repair")
	must(t, mara.WaitStrip("live"), mara.Wait("!document.querySelector('[data-testid=others]')"))
	must(t, mara.Press("Who are you?"), mara.Fill("Name", "Mara"), mara.Press("Keep it"))
	ida := s.page("/calls")
	must(t, ida.WaitStrip("also here:"), mara.WaitStrip("also here:"))
	must(t, ida.Goto(s.control+"/services/moorings/mappings/berth-under-repair"), ida.WaitText("has this open, too."), mara.WaitText("has this open, too."))
	require.NoError(t, mara.Wait("document.querySelector('[data-testid=others] a').title === 'mapping berth-under-repair of moorings'"))
	must(t, ida.Fill("Title", "Repaired by Friday"), mara.WaitText("is editing this."), mara.WaitStrip("edits berth-under-repair"))
	must(t, ida.Press("Save"), mara.WaitText("has this open, too."))
	must(t, ida.Goto(s.control+"/lanes"), mara.Wait("!document.body.innerText.includes('has this open')"))
	must(t, ida.Goto("about:blank"), mara.Wait("!document.querySelector('[data-testid=others]')"))
	ida.Close() // a page that is killed may not come to say that it leaves
}

// The console asks for a token, shows who is in, says what a role may not, and asks again when
// the token is revoked.
func TestConsoleLogIn(t *testing.T) {
	t.Parallel()
	s := startTeam(t, config.Config{})
	_, mara := s.holder(api.TokenRequest{Name: "mara", Role: "editor"})
	_, eve := s.holder(api.TokenRequest{Name: "eve", Role: "viewer"})
	in := func(secret, name string) *browser.Page {
		p := s.page("/services/tides/settings")
		must(t, p.Wait("document.querySelector('input[type=password]')"), p.Fill("Token", "rapidmimic_wrong"), p.Press("Log in"), p.WaitText("that is no token of Rapid Mimic"))
		must(t, p.Fill("Token", secret), p.Press("Log in"), p.WaitStrip(name), p.WaitStrip("live"), p.WaitText("Remove the service"))
		return p
	}
	editor, viewer := in(mara, "mara, editor"), in(eve, "eve, viewer")
	s.says("GET /tides/notice")
	must(t, editor.WaitStrip("1 call in the last minute"))
	must(t, viewer.Press("Remove the service"), viewer.Press("Remove tides"), viewer.WaitText("you may not change service"))
	must(t, editor.Press("Remove the service"), editor.Press("Remove tides"), editor.WaitText("tides was removed"), editor.Press("Undo"))
	require.Eventually(t, func() bool { return strings.HasPrefix(s.says("GET /tides/notice"), "200") }, 5*time.Second, 50*time.Millisecond)
	must(t, editor.Press("Activity"), editor.WaitText("brought back service tides in the console"), editor.WaitText("was refused: DELETE /api/v1/services/tides"), editor.WaitText("logged in with token \"eve\""))
	require.NoError(t, s.api.RevokeToken(t.Context(), "eve"))
	must(t, viewer.Wait("document.querySelector('input[type=password]')"))
	must(t, editor.Press("Log out"), editor.Wait("document.querySelector('input[type=password]')"))

	answer, err := http.Get(s.control + "/api/v1/services")
	require.NoError(t, err)
	defer answer.Body.Close()
	assert.Equal(t, 401, answer.StatusCode, "the page of the console is all that is open")
}

// People sign in at a provider: in the console by code with PKCE, with the command line by a
// device code. Groups have roles; who has none is told so; sessions go on while the provider is
// down.
func TestSignIn(t *testing.T) {
	t.Parallel()
	at := startProvider(t)
	s := startTeam(t, config.Config{SignIn: at.URL, SignInClient: clientOfUs, SignInGroups: []string{"qa=tester", "qa-leads=editor"}, SignInFor: time.Hour})
	p := s.page("/lanes")
	must(t, p.Wait("document.querySelector('input[type=password]')"), p.Press("Sign in at "+strings.TrimPrefix(at.URL, "http://")), p.Wait("document.querySelector('#in')"), p.Click("#in"))
	must(t, p.WaitStrip("mara, editor"), p.WaitStrip("live"))
	require.NoError(t, p.Wait("location.hash === '' && !location.search"))
	list, err := s.api.Activity(t.Context(), client.ActivityQuery{By: "mara", Limit: 1})
	require.NoError(t, err)
	assert.Contains(t, list.Items[0].Lines[0], "signed in at "+at.URL+", editor")

	home := t.TempDir()
	run := func(args ...string) (string, error) {
		c := exec.Command(binary, args...)
		c.Env = append(os.Environ(), "HOME="+home, "XDG_CONFIG_HOME="+home, "DBUS_SESSION_BUS_ADDRESS=", "RAPIDMIMIC_URL=", "RAPIDMIMIC_TOKEN=")
		out, err := c.CombinedOutput()
		return string(out), err
	}
	at.be("ida", "qa")
	said, err := run("login", s.control)
	require.NoError(t, err, said)
	assert.Contains(t, said, "code      SKERRY-7")
	assert.Contains(t, said, "as ida, tester")
	said, err = run("service", "set", "moorings", "--seed", "4")
	require.Error(t, err)
	assert.Contains(t, said, `token "ida" is a tester, and that takes an editor of moorings`)

	at.be("eve", "guests")
	session := func(idToken string) string {
		status, _, text := s.whole("POST", "/api/v1/sessions", []byte(fmt.Sprintf(`{"idToken": %q}`, idToken)))
		require.Greater(t, status, 399, text)
		return text
	}
	assert.Contains(t, session(at.signed(clientOfUs, "", time.Hour)), "you are eve, and none of your groups (guests) has a role here")
	at.be("eve", "qa-leads")
	assert.Contains(t, session(at.signed("somebody-else", "", time.Hour)), "does not hold")
	assert.Contains(t, session(at.signed(clientOfUs, "", -time.Hour)), "does not hold")
	assert.Contains(t, session(at.signed(clientOfUs, "", time.Hour)+"x"), "does not hold")
	status, _, text := s.whole("POST", "/api/v1/sessions", []byte(`{"code": "made-up", "tab": "x"}`))
	assert.Equal(t, 401, status, text)
	for _, path := range []string{"/sign-in/back?state=x&code=y", "/sign-in/back?error=access_denied"} {
		refused := s.page(path)
		must(t, refused.WaitText("Sign in at"), refused.Wait("/not begun here|refused: access_denied/.test(document.body.innerText)"))
	}

	at.Close()
	must(t, p.Press("Services"), p.WaitText("moorings"))
	said, err = run("service", "list")
	require.NoError(t, err, said)
	down := s.page("/")
	must(t, down.Wait("document.querySelector('input[type=password]')"))
}

// Nobody takes so much that nothing is left to the others: what is over is refused, and says by how much.
func TestFairShares(t *testing.T) {
	t.Parallel()
	s := startTeam(t, config.Config{LanesPerToken: 2, LaneCallsPerSecond: 3})
	ci, secret := s.holder(api.TokenRequest{Name: "ci", Role: "tester"})
	ctx := t.Context()
	for _, name := range []string{"ci-1", "ci-2"} {
		_, err := ci.OpenLane(ctx, spec.NewLane(name))
		require.NoError(t, err)
	}
	ida, err := client.NewAs(s.control, "ida")
	require.NoError(t, err)
	t.Cleanup(ida.Close)
	ida.SetToken(secret)
	_, err = ida.OpenLane(ctx, spec.NewLane("ci-3")) // another name makes no other token
	require.ErrorContains(t, err, `token "ci" has 2 lanes open, and its share is 2`)
	_, err = s.api.OpenLane(ctx, spec.NewLane("other"))
	require.NoError(t, err, "others have a share of their own")
	_, err = ci.CloseLane(ctx, "ci-1")
	require.NoError(t, err)
	_, err = ci.OpenLane(ctx, spec.NewLane("ci-3"))
	require.NoError(t, err)

	refused := 0
	for range 10 { // within less than three seconds
		if strings.HasPrefix(s.says("GET /@ci-2/moorings/berths"), "429") {
			refused++
		}
	}
	assert.Positive(t, refused)
	assert.Regexp(t, "^200", s.says("GET /moorings/berths"))
	assert.Regexp(t, "^200", s.says("GET /@other/moorings/berths"))
	status, err := ci.Status(ctx)
	require.NoError(t, err)
	assert.Equal(t, &api.Quotas{LanesPerToken: 2, LaneCallsPerSecond: 3, LaneMappings: 5000}, status.Quotas)
}

// An administrator lets somebody in from the console: the token is shown once, holds, and holds
// no longer when it is revoked. Others have no such page.
func TestConsoleTokens(t *testing.T) {
	t.Parallel()
	s := startTeam(t, config.Config{LanesPerToken: 7})
	p := s.page("/tokens")
	must(t, p.Wait("document.querySelector('input[type=password]')"), p.Fill("Token", s.secret), p.Press("Log in"), p.WaitText("Create a token"))
	must(t, p.WaitText("7 open lanes"), p.Fill("For whom", "ida"), p.Fill("Services, empty for all", "moorings"), p.Fill("Lanes, empty for all", "ida-*"))
	must(t, p.WaitText("rapidmimic token create ida --role tester --service moorings --lane 'ida-*' --ttl 30d"))
	must(t, p.Press("Create a token"), p.Wait("document.querySelector('[data-testid=secret]')"), p.Wait("document.querySelector('[data-token=ida]')"))
	secret, err := browser.Eval[string](p, "document.querySelector('[data-testid=secret]').innerText")
	require.NoError(t, err)
	ida, err := client.New(s.control)
	require.NoError(t, err)
	t.Cleanup(ida.Close)
	ida.SetToken(secret)
	me, err := ida.Me(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []string{"ida", "tester", "[moorings]", "[ida-*]"}, []string{me.Name, me.Role, fmt.Sprint(me.Services), fmt.Sprint(me.Lanes)})
	must(t, p.Fill("For whom", "ida"), p.Press("Create a token"), p.WaitText(`token "ida" already exists`))
	must(t, p.Press("Revoke ida"), p.Press("Revoke it"), p.Wait("!document.querySelector('[data-token=ida]')"))
	_, err = ida.Me(t.Context())
	assert.ErrorContains(t, err, "was revoked")

	_, eve := s.holder(api.TokenRequest{Name: "eve", Role: "viewer"})
	q := s.page("/lanes")
	must(t, q.Wait("document.querySelector('input[type=password]')"), q.Fill("Token", eve), q.Press("Log in"), q.WaitStrip("eve, viewer"))
	must(t, q.Wait("!document.querySelector('nav a[href=\"/tokens\"]')"), q.Visit("/tokens"), q.WaitText("takes an admin"))
}
