package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestIndented(t *testing.T) {
	for name, k := range map[string]struct{ body, want string }{
		"JSON":                {`{"berth":"N<7","free":[]}`, "  {\n    \"berth\": \"N<7\",\n    \"free\": []\n  }"},
		"XML":                 {`<?xml version="1.0"?><a x="1"><b>N7</b><c/><!-- held --><d></d></a>`, "  <?xml version=\"1.0\"?>\n  <a x=\"1\">\n    <b>N7</b>\n    <c/>\n    <!-- held -->\n    <d></d>\n  </a>"},
		"XML laid out before": {"<a>\n      <b> N7 </b>\n</a>", "  <a>\n    <b> N7 </b>\n  </a>"},
		"prefixes, CDATA":     {`<s:a xmlns:s="urn:x"><s:b><![CDATA[<]]></s:b></s:a>`, "  <s:a xmlns:s=\"urn:x\">\n    <s:b><![CDATA[<]]></s:b>\n  </s:a>"},
		"mixed content":       {"<a>free <b>now</b></a>", "  <a>free <b>now</b></a>"},
		"text after elements": {"<a><b/>now</a>", "  <a><b/>now</a>"},
		"cut off":             {"<a><b>N7</b>", "  <a><b>N7</b>"},
		"no XML":              {"<a", "  <a"},
		"text":                {"two\nlines", "  two\n  lines"},
	} {
		assert.Equal(t, k.want, indented(k.body, "  "), name)
	}
}
