package control

import (
	"crypto/rand"
	"fmt"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func tokenView(t access.Token) api.Token {
	return api.Token{ID: t.ID, Name: t.Name, Role: string(t.Role), Services: t.Services, Lanes: t.Lanes, Created: t.Created.UTC(), By: t.By,
		Expires: t.Expires, LastUsed: t.Used, Expired: !t.Expires.IsZero() && !time.Now().Before(t.Expires)}
}

func (s *server) getMe(c *gin.Context) {
	t := holder(c)
	me := api.Me{Name: t.Name, Role: string(t.Role), Services: t.Services, Lanes: t.Lanes, Expires: t.Expires, NeedToken: s.NeedToken}
	if t.ID != "" {
		me.Quotas = &s.quotas.Quotas
	}
	c.PureJSON(http.StatusOK, me)
}

// postLogin is getMe for who begins to use a token: it leaves a name in the activity.
func (s *server) postLogin(c *gin.Context) {
	if t := holder(c); t.ID != "" {
		s.note(c, "", fmt.Sprintf("logged in with token %q", t.Name))
	}
	s.getMe(c)
}

func (s *server) listTokens(c *gin.Context) {
	respondList(s, c, listing[access.Token, api.Token]{items: s.Tokens.List(), key: func(t access.Token) string { return t.Name }, view: tokenView})
}

func (s *server) postToken(c *gin.Context) {
	var wanted api.TokenRequest
	err := readFields(c, &wanted, "token")
	now := time.Now()
	t := access.Token{Name: wanted.Name, Role: access.Role(wanted.Role), Lanes: wanted.Lanes, By: catalog.AuthorOf(c.Request.Context())}
	if err == nil && wanted.TTL != "" {
		var ttl time.Duration
		ttl, err = ttlOf(wanted.TTL)
		t.Expires = now.Add(ttl)
	}
	for _, name := range wanted.Services {
		if err != nil {
			break
		}
		var service *catalog.Service
		if service, err = s.Catalog.Find(name); err == nil {
			t.Services = append(t.Services, service.Spec.Name)
		}
	}
	var secret string
	if err == nil {
		t, secret, err = s.Tokens.Create(c.Request.Context(), t, drawn(), now)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.note(c, "", fmt.Sprintf("created token %q, %s", t.Name, t.String()))
	c.Header("Location", "/api/v1/tokens/"+t.ID)
	c.Header("Cache-Control", "no-store")
	c.PureJSON(http.StatusCreated, api.NewToken{Token: tokenView(t), Secret: secret})
}

// drawn is what a secret is made of.
func drawn() (random [32]byte) {
	_, _ = rand.Read(random[:]) // it never fails
	return random
}

// ttlOf reads how long a token holds: 30d, or as Go writes durations.
func ttlOf(text string) (time.Duration, error) {
	ttl, err := durationOf(text)
	if err != nil || ttl <= 0 || ttl > 10*366*24*time.Hour {
		return 0, problem.New(problem.Invalid, "ttl must be a time such as 30d or 12h, at most 10 years, not %q", text)
	}
	return ttl, nil
}

func (s *server) deleteToken(c *gin.Context) {
	t, err := s.Tokens.Revoke(c.Request.Context(), c.Param("token"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.note(c, "", fmt.Sprintf("revoked token %q", t.Name))
	c.Status(http.StatusNoContent)
}
