package wsdl

import (
	"crypto/sha1" //nolint:gosec // the standard has digests made with it
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/xmltree"
)

var _ contract.Authenticator = (*service)(nil)

// The namespaces of WS-Security, of XML signatures and of XML encryption.
const (
	security   = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
	utility    = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd"
	signature  = "http://www.w3.org/2000/09/xmldsig#"
	encryption = "http://www.w3.org/2001/04/xmlenc#"
	// byDigest ends the type of a password that is sent as a digest.
	byDigest = "#PasswordDigest"
)

// skew is by how much clocks may differ, and how old a token may be.
const skew = 5 * time.Minute

// CheckCredentials implements contract.Authenticator by the UsernameToken of WS-Security, as text or
// digest, and its Timestamp. Values are secrets, and not spoken of.
func (s *service) CheckCredentials(asked *contract.Asked, with contract.Credentials) (found []call.Deviation) {
	now := with.Now
	add := func(format string, args ...any) {
		found = append(found, call.Deviation{Side: call.OfRequest, Where: "header Security", Detail: fmt.Sprintf(format, args...)})
	}
	header := s.receivedOf(asked).header.Child(security, "Security")
	token := header.Child(security, "UsernameToken")
	if token == nil {
		add("a UsernameToken is missing")
		return found
	}
	if stamp := header.Child(utility, "Timestamp"); stamp != nil {
		if expires, err := time.Parse(time.RFC3339, textIn(stamp, utility, "Expires")); err == nil && now.After(expires) {
			add("the message expired %s ago", now.Sub(expires).Round(time.Second))
		}
		if created, err := time.Parse(time.RFC3339, textIn(stamp, utility, "Created")); err == nil && created.After(now.Add(skew)) {
			add("the message was made %s from now", created.Sub(now).Round(time.Second))
		}
	}
	expected, known := with.Password(textIn(token, security, "Username"))
	given := token.Child(security, "Password")
	switch {
	case !known:
		add("nobody is called as its UsernameToken says")
	case given == nil:
		add("its UsernameToken has no password")
	case !strings.HasSuffix(given.Attr("Type"), byDigest):
		if !same(expected, strings.TrimSpace(given.Text)) {
			add("the password of its UsernameToken is wrong")
		}
	default:
		if fault := digestFault(token, given, expected, now); fault != "" {
			add("%s", fault)
		}
	}
	nonce := textIn(token, security, "Nonce")
	if len(found) == 0 && nonce != "" && with.Fresh != nil && !with.Fresh(nonce) {
		add("the nonce of its UsernameToken was used before")
	}
	return found
}

func same(a, b string) bool { return subtle.ConstantTimeCompare([]byte(a), []byte(b)) == 1 }

func textIn(n *xmltree.Node, space, local string) string {
	return strings.TrimSpace(textOf(n.Child(space, local)))
}

// digestFault says what is wrong with a password that is sent as the digest of a nonce, a time and the
// password itself; "" for nothing.
func digestFault(token, given *xmltree.Node, password string, now time.Time) string {
	nonce, err := base64.StdEncoding.DecodeString(textIn(token, security, "Nonce"))
	created := textIn(token, utility, "Created")
	if err != nil || len(nonce) == 0 || created == "" {
		return "the digest of its UsernameToken needs a nonce and the time when it was created"
	}
	sum := sha1.Sum([]byte(string(nonce) + created + password)) //nolint:gosec // see above
	if !same(base64.StdEncoding.EncodeToString(sum[:]), strings.TrimSpace(given.Text)) {
		return "the digest of its UsernameToken is wrong"
	}
	at, err := time.Parse(time.RFC3339, created)
	if err != nil || now.Sub(at).Abs() > skew {
		return fmt.Sprintf("its UsernameToken was not created within %s of now", skew)
	}
	return ""
}

// passedOver says in words what of WS-Security in a message nobody looks at; "" for nothing.
func (m *received) passedOver() string {
	if m.header.Child(security, "Security").Child(signature, "Signature") != nil {
		return "; its signature is not verified"
	}
	return ""
}

// encrypted reports whether a message hides what is in its body.
func (m *received) encrypted() bool {
	return m.body != nil && m.body.Child(encryption, "EncryptedData") != nil
}

// findEncrypted finds the operation of a message whose body cannot be read: by its action alone.
func (s *service) findEncrypted(ports []*port, action string) contract.Asked {
	for _, p := range ports {
		for _, op := range p.operations {
			if action != "" && (op.action == action || op.input != nil && op.input.action == action) {
				return s.found(op, fmt.Sprintf("the action is %q; the body is encrypted, and not looked at", action))
			}
		}
	}
	return refused("Client", "The body is encrypted, and the action names no operation.", s.known()...)
}
