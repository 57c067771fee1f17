package engine

import (
	"fmt"
	"html"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
)

// asksForDescription reports whether a call asks a SOAP service for its contract, or for a part of it:
// ?wsdl, ?singleWsdl, ?wsdl=Types.wsdl, ?xsd=1.
func asksForDescription(r *call.Request) bool {
	name, _, _ := strings.Cut(strings.ToLower(r.Query), "=")
	return r.Method == "GET" && (name == "wsdl" || name == "singlewsdl" || name == "xsd")
}

// addresses are the places of a contract in WSDL, and of its schemas, that lead somewhere: attributes of
// ports, imports and includes, and endpoint references.
var addresses = regexp.MustCompile(`(\s(?:schemaLocation|location)\s*=\s*["']|<(?:[\w.-]+:)?Address(?:\s[^>]*)?>\s*)([^"'<>\s]+)`)

// keepDescription turns addresses in a contract that the upstream answers into ours, so that programs
// which read it stay with us: those below the upstream, and those of the port that was asked, which may
// stand under the name that the upstream has for itself.
func (relay *Relay) keepDescription(got call.Answer) (kept call.Answer, changes []string) {
	if got.Status != 200 || !strings.Contains(got.Get("Content-Type"), "xml") {
		return got, nil
	}
	kept = got
	kept.Body = addresses.ReplaceAllFunc(got.Body, func(place []byte) []byte {
		parts := addresses.FindSubmatch(place)
		from := html.UnescapeString(string(parts[2]))
		to, ok := relay.keptAddress(relay.renamed(from))
		if !ok || !strings.Contains(from, "://") {
			return place // what is relative leads to us already
		}
		to = "http://" + relay.host + to
		changes = append(changes, fmt.Sprintf("contract: %s became %s", from, to))
		return slices.Concat(parts[1], []byte(html.EscapeString(to)))
	})
	return kept, changes
}

// renamed puts the upstream's own host into an address of the port that was asked.
func (relay *Relay) renamed(address string) string {
	u, err := url.Parse(address)
	if err != nil || strings.TrimSuffix(u.EscapedPath(), "/") != strings.TrimSuffix(relay.Target.EscapedPath(), "/") {
		return address
	}
	u.Host = relay.base.Host
	return u.String()
}
