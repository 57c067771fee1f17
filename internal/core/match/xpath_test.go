package match_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/match"
)

// The whole of XPath moves over our own tree: along every axis, with texts, attributes
// and prefixes that do not matter.
func TestXPathAlongEveryAxis(t *testing.T) {
	const quay = `<h:quay xmlns:h="urn:h" name="north"><berth number="N1" free="true">calm<note>a</note></berth><h:berth number="N2"><note>b</note><note>c</note></h:berth><berth number="N3"/><office>closed</office></h:quay>`
	for path, want := range map[string][]string{
		"/quay/@name":                              {"north"},
		"/quay/berth/@number":                      {"N1", "N2", "N3"},
		"/other:quay/berth[2]/@number":             {"N2"},
		"//note":                                   {"a", "b", "c"},
		"//note/text()":                            {"a", "b", "c"},
		"/quay/berth[1]/text()":                    {"calm"},
		"/quay/berth[1]":                           {"calma"},
		"/quay/berth[1]/@*":                        {"N1", "true"},
		"/quay/other:*/@number":                    {"N1", "N2", "N3"},
		"//berth[namespace-uri()='urn:h']/@number": {"N2"},
		`//note[concat(., ":a") = "b:a"]`:          {"b"},
		"//berth[@number='N2']/following-sibling::*/@number":     {"N3"},
		"//berth[@number='N3']/preceding-sibling::berth/@number": {"N2", "N1"},
		"//note[.='c']/preceding-sibling::note":                  {"b"},
		"//note[.='b']/following-sibling::note":                  {"c"},
		"//note[.='a']/parent::berth/@number":                    {"N1"},
		"//note[.='c']/../@number":                               {"N2"},
		"//note[.='a']/ancestor::quay/@name":                     {"north"},
		"//note[.='c']/ancestor-or-self::note":                   {"c"},
		"//berth[note]/@number":                                  {"N1", "N2"},
		"//berth[not(note)]/@number":                             {"N3"},
		"//berth[count(note) > 1]/@number":                       {"N2"},
		"//berth[position() < 3]/@number":                        {"N1", "N2"},
		"//@number[.='N3']/../@number":                           {"N3"},
		"//berth[starts-with(@number, 'N') and @free]/@number":   {"N1"},
		"/":                     {"calmabcclosed"},
		"/quay/crane":           nil,
		"/quay/@number":         nil,
		"//office/*":            nil,
		"//office/@*":           nil,
		"/quay/berth[3]/text()": nil,
		"/quay/..":              {"calmabcclosed"},
		"/../..":                nil,
		"//berth[@number='N1']/preceding-sibling::*":                 nil,
		"/quay/berth[1]/text()/following-sibling::*":                 {"a"},
		"//note[.='a']/preceding-sibling::node()":                    {"calm"},
		"//text()[.='closed']/..":                                    {"closed"},
		"/quay/preceding-sibling::*|/quay/following-sibling::*":      nil,
		"//berth[@number='N1']|//office":                             {"calma", "closed"},
		"/quay/berth[local-name()='berth' and @number='N2']/note[2]": {"c"},
		"//*[name()='office']":                                       {"closed"},
	} {
		got, err := match.FindXML(quay, path, nil)
		assert.NoError(t, err, path)
		assert.ElementsMatch(t, want, got, "%s gave %v", path, got)
	}
	for _, wrong := range []string{"", "//", "//berth[", "/quay/@", "count(//berth"} {
		_, err := match.FindXML(quay, wrong, nil)
		assert.Error(t, err, wrong)
	}
	_, err := match.FindXML("<a", "/a", nil)
	assert.Error(t, err)
}
