package match

import (
	"fmt"
	"net/netip"

	"rapidmimic.example/internal/core/jsonpath"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// subjectOf finds the part of a call that a condition looks at.
func subjectOf(s spec.Condition) (condition, error) {
	switch {
	case s.Query != "":
		return condition{subject: "query " + s.Query, values: func(f *Facts) []*tree.Node { return texts(f.query()[s.Query]) }}, nil
	case s.Header != "":
		return condition{subject: "header " + s.Header, values: func(f *Facts) []*tree.Node { return texts(f.Request.Header.Values(s.Header)) }}, nil
	case s.Cookie != "":
		return condition{subject: "cookie " + s.Cookie, values: func(f *Facts) []*tree.Node { return texts(f.cookies(s.Cookie)) }}, nil
	case s.Form != "":
		return condition{subject: "form " + s.Form, values: func(f *Facts) []*tree.Node { return texts(f.form()[s.Form]) }}, nil
	case s.Part != "":
		return condition{subject: "part " + s.Part, values: func(f *Facts) []*tree.Node { return texts(f.part(s.Part)) }}, nil
	case s.GraphQL != "":
		return condition{subject: "graphql " + s.GraphQL, values: func(f *Facts) []*tree.Node { return texts(f.graphQL()[s.GraphQL]) }}, nil
	case s.Text:
		return condition{subject: "body", values: (*Facts).bodyText}, nil
	case s.Body != "":
		path, err := jsonpath.Compile(s.Body)
		if err != nil {
			return condition{}, fmt.Errorf("body %q is not a JSONPath such as $.vessel.name: %w", s.Body, err)
		}
		return condition{subject: "body " + s.Body, values: func(f *Facts) []*tree.Node { return f.findJSON(path) }}, nil
	case s.XML != "":
		path, err := compileXPath(s.XML)
		if err != nil {
			return condition{}, fmt.Errorf("xml %w", err)
		}
		return condition{subject: "xml " + s.XML, values: func(f *Facts) []*tree.Node { return f.findXML(s.XML, path) }}, nil
	default:
		return callerCondition(s.Caller)
	}
}

func callerCondition(text string) (condition, error) {
	within, err := netip.ParsePrefix(text)
	if err != nil {
		ip, ipErr := netip.ParseAddr(text)
		if ipErr != nil {
			return condition{}, fmt.Errorf("caller must be an address or a range such as 10.2.0.0/16, not %q", text)
		}
		within = netip.PrefixFrom(ip, ip.BitLen())
	}
	return condition{
		subject: "caller",
		values:  func(f *Facts) []*tree.Node { return texts([]string{f.Request.Caller}) },
		test: func(values []*tree.Node) (bool, string) {
			from, err := netip.ParseAddrPort(values[0].Text)
			return err == nil && within.Contains(from.Addr().Unmap()), "one in " + text
		},
	}, nil
}

func texts(values []string) []*tree.Node {
	nodes := make([]*tree.Node, len(values))
	for i, v := range values {
		nodes[i] = tree.NewString(v)
	}
	return nodes
}
