package control

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// SignIn is a provider at which people sign in.
type SignIn interface {
	Issuer() string
	ClientID() string
	// Begin is where somebody is sent; tab is the digest of what their page alone knows.
	Begin(ctx context.Context, tab string, now time.Time) (address string, err error)
	// Finish tells who came back, and of which tab.
	Finish(ctx context.Context, state, code string, now time.Time) (who access.Token, tab string, err error)
	// Who tells who somebody is by an ID token that a program was given for us.
	Who(ctx context.Context, idToken string) (access.Token, error)
}

// signInBack is where the provider sends people back to.
const signInBack = "/sign-in/back"

// arrivals are those who came back from the provider, and whose page has not asked yet.
type arrivals struct {
	mu sync.Mutex
	of map[string]arrival // by code; guarded by mu
}

type arrival struct {
	who access.Token
	tab string
	at  time.Time
}

// arrivalFor is how long a page may take to ask.
const arrivalFor = time.Minute

func (a *arrivals) add(one arrival) (code string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.of == nil {
		a.of = make(map[string]arrival)
	}
	for code, old := range a.of {
		if one.at.Sub(old.at) > arrivalFor {
			delete(a.of, code)
		}
	}
	code = rand.Text()
	a.of[code] = one
	return code
}

// take gives who came back with a code, once, to the page that began it.
func (a *arrivals) take(code, tab string, now time.Time) (access.Token, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	one, known := a.of[code]
	delete(a.of, code)
	sum := sha256.Sum256([]byte(tab))
	if !known || now.Sub(one.at) > arrivalFor || subtle.ConstantTimeCompare([]byte(one.tab), []byte(hex.EncodeToString(sum[:]))) != 1 {
		return access.Token{}, problem.New(problem.Unauthorized, "this login was not begun in this tab, or took too long: begin again")
	}
	return one.who, nil
}

var tabDigest = regexp.MustCompile(`^[0-9a-f]{64}$`)

// beginSignIn sends a browser to the provider.
func (s *server) beginSignIn(c *gin.Context) {
	tab := c.Query("tab")
	if !tabDigest.MatchString(tab) {
		s.fail(c, problem.New(problem.Invalid, "the console begins logins: open %s", s.ControlURL), nil)
		return
	}
	address, err := s.SignIn.Begin(c.Request.Context(), tab, time.Now())
	if err != nil {
		s.toConsole(c, "sign-in-failed", err.Error())
		return
	}
	c.Redirect(http.StatusFound, address)
}

// endSignIn takes who comes back, and has their page ask for the token: it stands in no address.
func (s *server) endSignIn(c *gin.Context) {
	if refused := c.Query("error"); refused != "" {
		s.toConsole(c, "sign-in-failed", fmt.Sprintf("the provider of logins refused: %s %s", refused, c.Query("error_description")))
		return
	}
	who, tab, err := s.SignIn.Finish(c.Request.Context(), c.Query("state"), c.Query("code"), time.Now())
	if err != nil {
		s.Logger.Warn("a login failed", "from", callerOf(c), "error", err)
		s.toConsole(c, "sign-in-failed", err.Error())
		return
	}
	s.toConsole(c, "signed-in", s.arrivals.add(arrival{who, tab, time.Now()}))
}

// toConsole opens the console with something behind the #, which browsers send to nobody.
func (s *server) toConsole(c *gin.Context, key, value string) {
	c.Redirect(http.StatusFound, "/#"+url.Values{key: {value}}.Encode())
}

// getSignIn tells at which provider people sign in.
func (s *server) getSignIn(c *gin.Context) {
	if s.SignIn == nil {
		c.PureJSON(http.StatusOK, api.SignIn{})
		return
	}
	c.PureJSON(http.StatusOK, api.SignIn{Issuer: s.SignIn.Issuer(), ClientID: s.SignIn.ClientID()})
}

// postSession lets somebody in who signed in.
func (s *server) postSession(c *gin.Context) {
	var wanted api.SessionRequest
	err := readFields(c, &wanted, "session")
	var who access.Token
	switch {
	case err != nil:
	case s.SignIn == nil:
		err = problem.New(problem.NotFound, "nobody signs in here: this environment knows tokens alone")
	case wanted.IDToken != "":
		who, err = s.SignIn.Who(c.Request.Context(), wanted.IDToken)
	default:
		who, err = s.arrivals.take(wanted.Code, wanted.Tab, time.Now())
	}
	var secret string
	if err == nil {
		now := time.Now()
		who.Expires = now.Add(s.SessionFor)
		who, secret, err = s.Tokens.Begin(who, drawn(), now)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Set(holderKey, &who)
	s.note(c, "", fmt.Sprintf("signed in at %s, %s", s.SignIn.Issuer(), who.String()))
	c.Header("Cache-Control", "no-store")
	c.PureJSON(http.StatusCreated, api.NewToken{Token: tokenView(who), Secret: secret})
}
