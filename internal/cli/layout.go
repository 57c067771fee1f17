package cli

import (
	"encoding/json"
	"encoding/xml"
	"errors"
	"io"
	"strings"
)

// indented shows a body, each line after an indent: JSON and XML laid out, everything else as it is.
func indented(body, indent string) string {
	laid := body
	if text, ok := layoutJSON(body); ok {
		laid = text
	} else if text, ok := layoutXML(body); ok {
		laid = text
	}
	return indent + strings.ReplaceAll(laid, "\n", "\n"+indent)
}

func layoutJSON(body string) (text string, ok bool) {
	var value json.RawMessage
	if json.Unmarshal([]byte(body), &value) != nil {
		return "", false
	}
	var pretty strings.Builder
	enc := json.NewEncoder(&pretty)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	if enc.Encode(value) != nil {
		return "", false
	}
	return strings.TrimRight(pretty.String(), "\n"), true
}

// layoutXML puts each element on a line of its own, as it is written. Elements with text beside others
// stay as they are, since blanks would change what they say.
func layoutXML(body string) (text string, ok bool) {
	if !strings.HasPrefix(strings.TrimSpace(body), "<") {
		return "", false
	}
	type open struct{ elements, text bool } // what it has
	var out strings.Builder
	var within []open
	line := func() {
		if out.Len() > 0 {
			out.WriteString("\n" + strings.Repeat("  ", len(within)))
		}
	}
	d := xml.NewDecoder(strings.NewReader(body))
	for {
		from := d.InputOffset()
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			return out.String(), len(within) == 0 && out.Len() > 0
		}
		if err != nil {
			return "", false
		}
		written := body[from:d.InputOffset()]
		switch token := token.(type) {
		case xml.CharData:
			if strings.TrimSpace(string(token)) == "" {
				continue
			}
			if len(within) == 0 || within[len(within)-1].elements {
				return "", false // mixed content
			}
			within[len(within)-1].text = true
			out.WriteString(written)
		case xml.EndElement:
			if len(within) == 0 {
				return "", false
			}
			last := within[len(within)-1]
			within = within[:len(within)-1]
			if last.elements {
				line()
			}
			out.WriteString(written) // nothing, where the start ended the element, too
		default:
			if n := len(within); n > 0 {
				if within[n-1].text {
					return "", false
				}
				within[n-1].elements = true
			}
			line()
			out.WriteString(written)
			if _, is := token.(xml.StartElement); is {
				within = append(within, open{})
			}
		}
	}
}
