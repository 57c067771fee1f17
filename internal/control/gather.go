package control

import (
	"context"
	"net/url"
	"path"
	"regexp"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/wsdl"
)

// mostGathered is how many documents of one contract are fetched.
const mostGathered = 200

// gathered is a contract from an address with the documents that it refers to, as far as they have the
// same origin; references between them become those of files. It is the document alone where there is
// none of them.
func (s *server) gathered(ctx context.Context, address string, text []byte) (archive []byte, main string, err error) {
	base, err := url.Parse(address)
	if err != nil || !wsdl.IsContract(text) {
		return text, "", nil //nolint:nilerr // it was fetched from there
	}
	g := &gathering{names: map[string]string{}, taken: map[string]bool{}}
	g.add(base, text)
	size := len(text)
	for i := 0; i < len(g.files) && len(g.files) < mostGathered; i++ {
		from := g.at[i]
		for _, location := range wsdl.References(g.files[i].Text) {
			at, err := from.Parse(location)
			if err != nil || at.Scheme != base.Scheme || at.Host != base.Host || g.names[at.String()] != "" || len(g.files) == mostGathered {
				continue
			}
			part, _, err := s.Fetch(ctx, at.String())
			if size += len(part); err != nil || size > bundle.MaxBytes {
				continue // the report names what is missing
			}
			g.add(at, part)
		}
	}
	if len(g.files) == 1 {
		return text, "", nil
	}
	for i, f := range g.files {
		g.files[i].Text = wsdl.Relocate(f.Text, func(location string) (string, bool) {
			at, err := g.at[i].Parse(location)
			if err != nil {
				return "", false
			}
			name, ok := g.names[at.String()]
			return name, ok
		})
	}
	archive, err = bundle.Pack(g.files)
	return archive, g.files[0].Name, err
}

// gathering are the documents that were fetched, where from, and how they are called.
type gathering struct {
	files []bundle.File
	at    []*url.URL
	names map[string]string // by address
	taken map[string]bool
}

var unfit = regexp.MustCompile(`[^A-Za-z0-9._-]+`)

// add takes a document under a name of its own, made of its address.
func (g *gathering) add(at *url.URL, text []byte) {
	ending, called := ".xsd", path.Base(at.Path)
	if wsdl.IsContract(text) {
		ending = ".wsdl"
	}
	if _, value, ok := strings.Cut(at.RawQuery, "="); ok { // such as xsd=types.xsd
		if plain, err := url.QueryUnescape(value); err == nil {
			called = path.Base(plain)
		}
	}
	stem := strings.Trim(strings.TrimSuffix(unfit.ReplaceAllString(called, "-"), ending), ".-")
	if stem == "" {
		stem = "contract"
	}
	name := stem + ending
	for n := 2; g.taken[name]; n++ {
		name = stem + "-" + strconv.Itoa(n) + ending
	}
	g.taken[name], g.names[at.String()] = true, name
	g.files, g.at = append(g.files, bundle.File{Name: name, Text: text}), append(g.at, at)
}
