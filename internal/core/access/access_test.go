package access_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/access"
)

var noon = time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)

// kept keeps tokens, and fails when it is told to.
type kept struct {
	tokens map[string]access.Token
	fail   error
}

func (k *kept) Tokens(context.Context) (all []access.Token, err error) {
	for _, t := range k.tokens {
		all = append(all, t)
	}
	return all, k.fail
}

func (k *kept) PutToken(_ context.Context, t access.Token) error {
	if k.fail == nil {
		k.tokens[t.ID] = t
	}
	return k.fail
}

func (k *kept) RemoveToken(_ context.Context, id string) error {
	if k.fail == nil {
		delete(k.tokens, id)
	}
	return k.fail
}

func open(t *testing.T) (*access.Tokens, *kept) {
	k := &kept{tokens: make(map[string]access.Token)}
	tokens, err := access.Open(t.Context(), k)
	require.NoError(t, err)
	return tokens, k
}

func random(b byte) (r [32]byte) {
	r[31], r[0] = b, b
	return r
}

// What a role may, within its limits, is one table.
func TestWhatTokensMay(t *testing.T) {
	whole := func(r access.Role) *access.Token { return &access.Token{ID: "t-1", Name: "x", Role: r} }
	ci := &access.Token{ID: "t-2", Name: "ci", Role: access.Editor, Services: []string{"moorings"}, Lanes: []string{"ci-*"}}
	lanes := &access.Token{ID: "t-3", Name: "tester", Role: access.Tester, Lanes: []string{"ci-*"}}
	for _, k := range []struct {
		who  *access.Token
		need access.Need
		want string // why not; "" where it may
	}{
		{whole(access.Viewer), access.Need{}, ""},
		{&access.Token{Role: access.Viewer}, access.Need{Right: access.Edit}, "without a token you are a viewer, and that takes an editor of all services"},
		{whole(access.Viewer), access.Need{Right: access.Test}, "takes a tester of all services"},
		{whole(access.Tester), access.Need{Right: access.Test, Service: "moorings"}, ""},
		{whole(access.Tester), access.Need{Right: access.Edit, Service: "moorings"}, "you may not change service \"moorings\": token \"x\" is a tester, and that takes an editor of moorings"},
		{whole(access.Editor), access.Need{Right: access.Edit}, ""},
		{whole(access.Editor), access.Need{Right: access.Administer}, "takes an admin of all services"},
		{whole(access.Admin), access.Need{Right: access.Administer}, ""},
		// in a lane it is nobody else's
		{whole(access.Tester), access.Need{Right: access.Edit, Service: "moorings", Lane: "mine"}, ""},
		{whole(access.Viewer), access.Need{Right: access.Edit, Lane: "mine"}, "takes a tester of that lane"},
		{lanes, access.Need{Right: access.Edit, Lane: "ci-7"}, ""},
		{lanes, access.Need{Right: access.Test, Lane: "night"}, "you may not test lane \"night\""},
		{lanes, access.Need{Right: access.View, Lane: "night"}, "you may not see lane \"night\""},
		{lanes, access.Need{Right: access.View, Lane: "ci-7"}, ""},
		// limited to services
		{ci, access.Need{Right: access.Edit, Service: "moorings"}, ""},
		{ci, access.Need{Right: access.View, Service: "tides"}, "you may not see service \"tides\": token \"ci\" is an editor of moorings, lanes ci-*"},
		{ci, access.Need{Right: access.View}, "takes a viewer of all services"},
		{ci, access.Need{Right: access.View, Shared: true}, ""},
		{ci, access.Need{Right: access.Edit}, "you may not change the environment"},
		{ci, access.Need{Right: access.Edit, Shared: true}, ""},
		{ci, access.Need{Right: access.Edit, Service: "tides", Lane: "ci-1"}, "change service \"tides\""},
	} {
		err := k.who.Refuse(k.need)
		if k.want == "" {
			assert.NoError(t, err, "%s, %+v", k.who, k.need)
		} else {
			assert.ErrorContains(t, err, k.want, "%s, %+v", k.who, k.need)
		}
	}
	assert.True(t, ci.Sees("moorings") && !ci.Sees("") && !ci.Sees("tides") && whole(access.Viewer).Sees(""))
}

// A token gets in by its secret alone, which nobody keeps, until it is revoked or expires.
func TestTokens(t *testing.T) {
	tokens, k := open(t)
	assert.True(t, tokens.Empty())
	admin, secret, err := tokens.Create(t.Context(), access.Token{Name: "admin", Role: access.Admin}, random(1), noon)
	require.NoError(t, err)
	assert.Regexp(t, `^rapidmimic_[0-9A-Za-z]{49}$`, secret)
	assert.NotEmpty(t, admin.ID)
	_, ciSecret, err := tokens.Create(t.Context(), access.Token{Name: "ci", Role: access.Editor, Expires: noon.Add(time.Hour)}, random(2), noon)
	require.NoError(t, err)
	assert.NotEqual(t, secret, ciSecret)

	ci, err := tokens.Find(ciSecret, noon.Add(time.Minute))
	require.NoError(t, err)
	assert.Equal(t, "ci", ci.Name)
	_, err = tokens.Find(ciSecret, noon.Add(time.Hour))
	assert.ErrorContains(t, err, `token "ci" expired at 2026-12-01 13:00 UTC`)
	other := secret[:20] + "0" + secret[21:]
	if other == secret {
		other = secret[:20] + "1" + secret[21:]
	}
	for _, wrong := range []string{"", "x", strings.ToUpper(secret), secret[:len(secret)-1], secret + "x", other} {
		_, err := tokens.Find(wrong, noon)
		assert.ErrorContains(t, err, "that is no token of Rapid Mimic", wrong)
	}
	_, err = tokens.Find(access.NewSecret(random(9)), noon)
	assert.ErrorContains(t, err, "is not one of this environment, or was revoked")

	require.NoError(t, tokens.KeepUsed(t.Context(), noon.Add(time.Minute)))
	again, err := access.Open(t.Context(), k)
	require.NoError(t, err)
	list := again.List()
	require.Len(t, list, 2)
	assert.Equal(t, []string{"admin", "ci"}, []string{list[0].Name, list[1].Name})
	assert.True(t, list[0].Used.IsZero())
	assert.Equal(t, noon.Add(time.Minute), list[1].Used)

	_, err = tokens.Revoke(t.Context(), "admin")
	assert.ErrorContains(t, err, "is the last administrator's token that never expires")
	_, err = tokens.Revoke(t.Context(), "cl")
	assert.ErrorContains(t, err, "ci?")
	k.fail = errors.New("the disk is full")
	_, err = tokens.Revoke(t.Context(), "ci")
	require.ErrorContains(t, err, "the disk is full")
	assert.True(t, ci.Holds(noon), "what could not be kept is not done")
	k.fail = nil
	_, err = tokens.Revoke(t.Context(), "ci")
	require.NoError(t, err)
	<-ci.Gone()
	assert.False(t, ci.Holds(noon))
	_, err = tokens.Find(ciSecret, noon)
	assert.ErrorContains(t, err, "was revoked")
	assert.Len(t, k.tokens, 1)
}

func TestTokensThatMakeNoSense(t *testing.T) {
	tokens, _ := open(t)
	_, _, err := tokens.Create(t.Context(), access.Token{Name: "ci", Role: access.Viewer}, random(1), noon)
	require.NoError(t, err)
	for want, token := range map[string]access.Token{
		"the name of a token is a line":                        {Name: " x", Role: access.Viewer},
		"role must be viewer, tester, editor or admin":         {Name: "x", Role: "owner"},
		"an administrator is not limited to services or lanes": {Name: "x", Role: access.Admin, Lanes: []string{"a"}},
		`"[" is no pattern of lanes`:                           {Name: "x", Role: access.Tester, Lanes: []string{"["}},
		"the token would have expired already":                 {Name: "x", Role: access.Viewer, Expires: noon},
		`token "ci" already exists`:                            {Name: "ci", Role: access.Viewer},
	} {
		_, _, err := tokens.Create(t.Context(), token, random(2), noon)
		assert.ErrorContains(t, err, want)
	}
	assert.Len(t, tokens.List(), 1)
}

// Who signed in elsewhere is in until the session ends; nothing of it is kept.
func TestSessions(t *testing.T) {
	tokens, k := open(t)
	mara := access.Token{Name: "mara", Role: access.Admin, Expires: noon.Add(time.Hour)}
	_, secret, err := tokens.Begin(mara, random(1), noon)
	require.NoError(t, err)
	second, _, err := tokens.Begin(mara, random(2), noon)
	require.NoError(t, err, "from another machine, too")
	_, _, err = tokens.Create(t.Context(), access.Token{Name: "mara", Role: access.Viewer}, random(3), noon)
	require.NoError(t, err, "names of sessions are nobody's")
	_, err = tokens.Find(secret, noon.Add(time.Minute))
	require.NoError(t, err)
	require.NoError(t, tokens.KeepUsed(t.Context(), noon.Add(time.Minute)))
	require.Len(t, k.tokens, 1)
	k.fail = errors.New("the disk is full")
	_, err = tokens.Revoke(t.Context(), second.ID)
	require.NoError(t, err, "it is not kept, so nothing can fail")
	_, err = tokens.Find(secret, noon.Add(time.Hour))
	assert.ErrorContains(t, err, "expired at")
	_, _, err = tokens.Begin(mara, random(4), noon.Add(2*time.Hour))
	require.NoError(t, err)
	assert.Len(t, tokens.List(), 2, "those that are over are forgotten")
}

// Who signs in again and again takes no sessions from others: their oldest ends.
func TestSessionsOfOnePerson(t *testing.T) {
	tokens, _ := open(t)
	mara := access.Token{Name: "mara", Role: access.Viewer, Expires: noon.Add(time.Hour)}
	var secrets [21]string
	for i := range secrets {
		begun, secret, err := tokens.Begin(mara, [32]byte{2, byte(i)}, noon.Add(time.Duration(i)*time.Second))
		require.NoError(t, err)
		require.True(t, begun.Holds(noon))
		secrets[i] = secret
	}
	assert.Len(t, tokens.List(), 20)
	_, err := tokens.Find(secrets[0], noon)
	assert.ErrorContains(t, err, "was revoked")
	_, err = tokens.Find(secrets[1], noon)
	assert.NoError(t, err)
}

// Who has a name is out with the token and all the sessions that have it; sessions take no
// room from tokens.
func TestSessionsBesideTokens(t *testing.T) {
	tokens, k := open(t)
	mara := access.Token{Name: "mara", Role: access.Admin, Expires: noon.Add(time.Hour)}
	var secrets [3]string
	var err error
	for i := range 2 {
		_, secrets[i], err = tokens.Begin(mara, random(byte(i+1)), noon)
		require.NoError(t, err)
	}
	_, secrets[2], err = tokens.Create(t.Context(), access.Token{Name: "mara", Role: access.Viewer}, random(3), noon)
	require.NoError(t, err)
	k.fail = errors.New("the disk is full")
	_, err = tokens.Revoke(t.Context(), "mara")
	require.ErrorContains(t, err, "the disk is full")
	assert.Len(t, tokens.List(), 3, "what could not be kept is not done")
	k.fail = nil
	_, err = tokens.Revoke(t.Context(), "mara")
	require.NoError(t, err)
	assert.Empty(t, k.tokens)
	for _, secret := range secrets {
		_, err = tokens.Find(secret, noon)
		assert.ErrorContains(t, err, "was revoked")
	}
	for i := range access.MaxTokens {
		mara.Name = fmt.Sprint("mara ", i)
		_, _, err := tokens.Begin(mara, [32]byte{1, byte(i >> 8), byte(i)}, noon)
		require.NoError(t, err)
	}
	_, _, err = tokens.Create(t.Context(), access.Token{Name: "ci", Role: access.Viewer}, random(6), noon)
	require.NoError(t, err, "sessions leave room for tokens")
}
