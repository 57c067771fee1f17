package secret

import (
	"bytes"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
)

// kind is how a name of a header, member, parameter, field or element is looked at.
type kind uint8

const (
	open   kind = iota // its value is nobody's secret
	likely             // its value is one when it looks like it: see looksSecret
	sure               // its value is one
)

// sureWords make a name that has one of them in it a secret one. Names are compared
// in lower case and without what stands between words: api_key, apiKey and API-Key
// are one name.
var sureWords = []string{
	"password", "passwd", "passphrase", "passcode", "passwort", "motdepasse", "contrasena",
	"secret", "token", "jwt", "credential", "authorization", "apikey", "accesskey", "privatekey", "secretkey", "signingkey", "encryptionkey",
	"signature", "sessionid", "sessid", "samlresponse", "samlassertion", "clientassertion", "codeverifier", "devicecode", "usercode",
}

// sureNames are secret ones as they are.
var sureNames = []string{"pwd", "pass", "sid", "otp", "totp", "mfa", "cvv", "cvc", "cookie", "setcookie", "auth", "xauth", "nonce"}

// sureEndings make a name secret that ends in one of them.
var sureEndings = []string{"pwd", "jwt", "otp", "key"}

// likelyNames are secret when their value looks like it.
var likelyNames = []string{"code", "key", "sig", "pin", "state", "session", "hash", "hmac", "mac", "assertion", "ticket", "challenge"}

// openNames are no secrets, although a rule above says so.
var openNames = []string{
	"tokentype", "tokenendpoint", "tokenuri", "tokenurl", "tokenexpires", "tokenexpiry", "tokenexpiresin", "tokencount", "tokenlimit", "tokenendpointauthmethod",
	"maxtokens", "totaltokens", "prompttokens", "completiontokens", "inputtokens", "outputtokens",
	"primarykey", "foreignkey", "publickey", "sortkey", "partitionkey", "idempotencykey", "cachekey", "rowkey", "groupkey", "routingkey", "objectkey", "translationkey", "messagekey",
	"keykey", "monkey", "donkey", "turkey", "whiskey", "jockey", "hotkey", "secwebsocketkey", "accesskeyid", "signaturemethod", "signaturealgorithm", "signatureversion",
	"passwordpolicy", "passwordrequired", "passwordhint", "passwordexpires", "secretary", "accesscontrolallowcredentials", "wwwauthenticate", "proxyauthenticate",
}

// Rules say which names are those of secrets.
type Rules struct {
	words, endings, exact, likely, open []string

	// known are names as they were written, to be read without waiting; fresh has those
	// as well that came to be known since, and becomes known when it was asked often.
	known  atomic.Pointer[map[string]kind]
	mu     sync.Mutex
	fresh  map[string]kind
	missed int
}

// mostNames bounds how many names a Rules remembers.
const mostNames = 8192

// NewRules knows more words that make a name secret beside ours, and names that are
// none, whatever else says so.
func NewRules(more, except []string) *Rules {
	plain := func(names []string) (all []string) {
		for _, name := range names {
			if name = plainName(name); name != "" { // "" would stand in every name
				all = append(all, name)
			}
		}
		return all
	}
	none := make(map[string]kind)
	r := &Rules{words: slices.Clone(sureWords), endings: sureEndings, exact: slices.Clone(sureNames), likely: likelyNames, open: slices.Concat(openNames, plain(except)),
		fresh: make(map[string]kind)}
	r.known.Store(&none)
	for _, name := range plain(more) {
		if len(name) < 3 { // it would stand in too many names
			r.exact = append(r.exact, name)
		} else {
			r.words = append(r.words, name)
		}
	}
	return r
}

// plainName is a name in lower case, its letters and digits only.
func plainName(name string) string {
	plain := make([]byte, 0, 32)
	for i := range len(name) {
		switch c := name[i]; {
		case 'a' <= c && c <= 'z', '0' <= c && c <= '9', c >= 0x80:
			plain = append(plain, c)
		case 'A' <= c && c <= 'Z':
			plain = append(plain, c+'a'-'A')
		}
	}
	return string(plain)
}

// of says how a name is looked at.
func (r *Rules) of(name string) kind { return r.ofBytes([]byte(name)) }

// ofBytes is of without a copy of names that are known.
func (r *Rules) ofBytes(name []byte) kind {
	if k, known := (*r.known.Load())[string(name)]; known {
		return k
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	k, known := r.fresh[string(name)]
	if !known {
		if k = r.judge(plainName(string(name))); len(name) > 64 || len(r.fresh) >= mostNames {
			return k
		}
		r.fresh[string(name)] = k
	}
	if r.missed++; r.missed > len(r.fresh) {
		all := maps.Clone(r.fresh)
		r.known.Store(&all)
		r.missed = 0
	}
	return k
}

// names remembers the names that were asked for last: the items of a list have the same ones.
type names [16]struct {
	name []byte
	kind kind
}

// restingNames are those that no pass uses.
var restingNames = sync.Pool{New: func() any { return new(names) }}

// end gives back what others can use, and holds nothing of the call.
func (p *pass) end() {
	if p.names != nil {
		clear(p.names[:])
		restingNames.Put(p.names)
		p.names = nil
	}
}

// nameKind is Rules.ofBytes for the names of members.
func (p *pass) nameKind(name []byte) kind {
	if len(name) == 0 {
		return open
	}
	if p.names == nil {
		p.names = restingNames.Get().(*names)
	}
	slot := &p.names[(uint(len(name))+uint(name[0])+uint(name[len(name)-1])<<1)%uint(len(p.names))]
	if !bytes.Equal(slot.name, name) {
		slot.name, slot.kind = name, p.rules.ofBytes(name)
	}
	return slot.kind
}

// isOpen reports whether a name is said to be no secret.
func (r *Rules) isOpen(name string) bool { return slices.Contains(r.open, plainName(name)) }

func (r *Rules) judge(name string) kind {
	switch {
	case name == "", slices.Contains(r.open, name):
		return open
	case slices.Contains(r.exact, name):
		return sure
	case slices.Contains(r.likely, name):
		return likely
	case slices.ContainsFunc(r.words, func(word string) bool { return strings.Contains(name, word) }),
		slices.ContainsFunc(r.endings, func(ending string) bool { return strings.HasSuffix(name, ending) }):
		return sure
	default:
		return open
	}
}

// looksSecret reports whether the value of a likely name is one: words that a
// person chose have no digits among their letters, or are short; numbers of one time
// have six digits and more.
func looksSecret(value string) bool {
	digits, letters := 0, 0
	for i := range len(value) {
		switch c := value[i] | 0x20; {
		case '0' <= value[i] && value[i] <= '9':
			digits++
		case 'a' <= c && c <= 'z':
			letters++
		case c == ' ':
			return false
		}
	}
	return letters == 0 && digits >= 6 || letters > 0 && digits > 0 && len(value) >= 10 || len(value) >= 32 && letters > 0
}
