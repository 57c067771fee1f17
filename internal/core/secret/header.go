package secret

import (
	"encoding/base64"
	"maps"
	"net/textproto"
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
)

// header masks the values of header lines.
func (p *pass) header(h call.Header) call.Header {
	var masked call.Header
	for name, values := range h {
		for i, value := range values {
			hidden := p.requestField(name, value)
			if hidden == value {
				continue
			}
			if masked == nil {
				masked = maps.Clone(h)
			}
			if &masked[name][0] == &values[0] {
				masked[name] = slices.Clone(values)
			}
			masked[name][i] = hidden
		}
	}
	if masked == nil {
		return h
	}
	return masked
}

// requestField masks the value of a header line of a request, its name in canonical form.
func (p *pass) requestField(name, value string) string {
	if name != "Authorization" && name != "Cookie" && p.isKey("header", name) {
		return p.take(value)
	}
	return p.field(name, value)
}

// isKey reports whether the contract of the service has an API key there.
func (p *pass) isKey(in, name string) bool {
	for _, key := range p.keys {
		if key.In == in && (key.Name == name || in == "header" && strings.EqualFold(key.Name, name)) {
			return !p.rules.isOpen(name)
		}
	}
	return false
}

func (p *pass) fields(fields []call.Field) []call.Field {
	var masked []call.Field
	for i, f := range fields {
		value := p.field(textproto.CanonicalMIMEHeaderKey(f.Name), f.Value)
		if value == f.Value {
			continue
		}
		if masked == nil {
			masked = slices.Clone(fields)
		}
		masked[i].Value = value
	}
	if masked == nil {
		return fields
	}
	return masked
}

// field masks the value of one header line, its name in canonical form.
func (p *pass) field(name, value string) string {
	switch name {
	case "Accept", "Accept-Encoding", "Accept-Language", "Cache-Control", "Connection", "Content-Length", "Content-Type", "Date", "Host", "User-Agent", "Vary":
		return value // the usual ones, which say nothing secret
	case "Authorization", "Proxy-Authorization":
		return p.credentials(value)
	case "Cookie":
		return p.cookies(value)
	case "Set-Cookie":
		pair, attributes, more := strings.Cut(value, ";")
		if more {
			attributes = ";" + attributes
		}
		return p.cookie(pair) + attributes
	case "Baggage":
		return p.baggage(value)
	}
	switch p.rules.of(name) {
	case sure:
		return p.take(value)
	case likely:
		if looksSecret(value) {
			return p.take(value)
		}
	}
	if strings.ContainsAny(value, "?#@") {
		value = p.address(value)
	}
	if len(value) < shortest {
		return value
	}
	return string(p.shapesIn([]byte(value)))
}

// credentials keeps the scheme: "Bearer masked-1f2e3d4c…". A name and password that
// are encoded are secrets each by itself, too.
func (p *pass) credentials(value string) string {
	scheme, secret, ok := strings.Cut(value, " ")
	if !ok {
		return p.take(value)
	}
	secret = strings.TrimSpace(secret)
	switch {
	case strings.EqualFold(scheme, "Basic"):
		if plain, err := base64.StdEncoding.DecodeString(secret); err == nil {
			p.note(string(plain))
			if _, password, ok := strings.Cut(string(plain), ":"); ok && password != "" {
				p.note(password)
			}
		}
	case strings.EqualFold(scheme, "Bearer"), strings.EqualFold(scheme, "Token"), strings.EqualFold(scheme, "Negotiate"):
	case strings.Contains(secret, "="): // parameters: digest, and signatures of requests
		return scheme + " " + p.parameters(secret)
	}
	return scheme + " " + p.take(secret)
}

// parameters masks the values of such as `Credential=a, Signature=b`.
func (p *pass) parameters(text string) string {
	parts := strings.Split(text, ",")
	for i, part := range parts {
		name, value, ok := strings.Cut(part, "=")
		if !ok {
			continue
		}
		plain := strings.Trim(strings.TrimSpace(value), `"`)
		parts[i] = name + "=" + strings.Replace(value, plain, p.take(plain), 1)
	}
	return strings.Join(parts, ",")
}

// cookies keeps the names: "session=masked-1f2e3d4c…; theme=masked-…".
func (p *pass) cookies(value string) string {
	pairs := strings.Split(value, ";")
	for i, pair := range pairs {
		pairs[i] = p.cookie(strings.TrimSpace(pair))
	}
	return strings.Join(pairs, "; ")
}

// cookie masks a value whatever its name is: what a cookie is for nobody knows.
func (p *pass) cookie(pair string) string {
	name, secret, ok := strings.Cut(pair, "=")
	if !ok {
		return p.take(pair)
	}
	if plain, err := url.QueryUnescape(secret); err == nil && plain != secret && looksSecret(plain) {
		p.note(plain)
	}
	secret = strings.Trim(secret, `"`)
	if p.rules.of(name) != sure && !looksSecret(secret) { // a word, which other texts may have as well
		return name + "=" + p.mark(secret)
	}
	return name + "=" + p.take(secret)
}

// baggage masks members by their names.
func (p *pass) baggage(value string) string {
	members := strings.Split(value, ",")
	for i, member := range members {
		pair, properties, more := strings.Cut(member, ";")
		if more {
			properties = ";" + properties
		}
		members[i] = p.pair(pair, '=') + properties
	}
	return strings.Join(members, ",")
}

// address masks what is secret in a URL, or in what has one in it: a password before
// the host, and parameters behind "?" and "#".
func (p *pass) address(text string) string {
	if scheme, rest, ok := strings.Cut(text, "://"); ok {
		end := strings.IndexAny(rest, "/?# ")
		if end < 0 {
			end = len(rest)
		}
		if at := strings.LastIndexByte(rest[:end], '@'); at >= 0 {
			user, password, has := strings.Cut(rest[:at], ":")
			if has {
				plain, err := url.PathUnescape(password)
				if err != nil {
					plain = password
				}
				text = scheme + "://" + user + ":" + p.take(plain) + rest[at:]
			}
		}
	}
	for _, mark := range []string{"?", "#"} {
		before, query, ok := strings.Cut(text, mark)
		if !ok {
			continue
		}
		query, after, more := strings.Cut(query, "#")
		text = before + mark + p.query(query)
		if more {
			text += "#" + after
		}
	}
	return text
}
