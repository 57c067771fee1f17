package walk

import (
	"cmp"
	"encoding/xml"
	"fmt"
	"html/template"
	"strconv"
	"strings"
	"time"
)

// Calls tells of the calls that came during the visits of a step, one line each.
type Calls func(s *Step) []string

// Markdown is the walk as a report.
func (w *Walk) Markdown(calls Calls) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# Boundary values: %s\n\n%s\n\n", escaped(w.Of()), escaped(w.summary()))
	b.WriteString("| # | Value | Is | Contract | Verdict | Note | Calls |\n|---|---|---|---|---|---|---|\n")
	for i, s := range w.Steps {
		fmt.Fprintf(&b, "| %d | %s | %s | %s | %s | %s | %d |\n", i+1, escaped(s.Shown), escaped(s.Says), escaped(s.contractText()), cmp.Or(string(s.Verdict), "—"), escaped(s.Text), len(calls(&w.Steps[i])))
	}
	for i, s := range w.Steps {
		lines := calls(&w.Steps[i])
		if s.Verdict != Defect || len(lines) == 0 {
			continue
		}
		fmt.Fprintf(&b, "\n## Defect with %s\n\n", escaped(s.ID))
		for _, line := range lines {
			fmt.Fprintf(&b, "- %s\n", escaped(line))
		}
	}
	return b.String()
}

// escaped is a text that Markdown shows as it is, in a cell of a table.
func escaped(text string) string {
	return strings.NewReplacer(`\`, `\\`, "|", `\|`, "`", "\\`", "*", `\*`, "_", `\_`, "<", "&lt;", "[", `\[`, "\n", " ", "\r", " ").Replace(text)
}

func (s *Step) contractText() string {
	if s.Breach != "" {
		return "invalid: " + s.Breach
	}
	return string(s.Validity)
}

// summary says how far the walk is and what was found.
func (w *Walk) summary() string {
	counts := w.Counts()
	text := fmt.Sprintf("Values: %d, of them fine %d, defects %d, notes %d, open %d. Begun %s", len(w.Steps), counts[Fine], counts[Defect], counts[Note], counts[""], w.Started.UTC().Format(time.DateTime))
	if w.By != "" {
		text += " by " + w.By
	}
	if w.Lane != "" {
		text += ", in lane " + w.Lane
	}
	return text + "."
}

var page = template.Must(template.New("report").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><title>Boundary values: {{.Of}}</title>
<style>
body { font: 15px/1.5 system-ui, sans-serif; margin: 2rem auto; max-width: 72rem; padding: 0 1rem; color: #1d2a2b }
table { border-collapse: collapse; width: 100% }
th, td { text-align: left; vertical-align: top; padding: .35rem .6rem; border-bottom: 1px solid #d5dcdc }
code { font: 13px ui-monospace, monospace; overflow-wrap: anywhere }
.defect { color: #a1260d; font-weight: 600 } .fine { color: #1c6b3c }
ul { margin: 0; padding-left: 1.1rem }
</style>
<h1>Boundary values</h1>
<p>{{.Of}}</p>
<p>{{.Summary}}</p>
<table>
<thead><tr><th>#</th><th>Value</th><th>Is</th><th>Contract</th><th>Verdict</th><th>Calls that came</th></tr></thead>
<tbody>
{{- range .Rows}}
<tr><td>{{.Number}}</td><td><code>{{.Shown}}</code></td><td>{{.Says}}</td><td>{{.Contract}}</td>
<td><span class="{{.Verdict}}">{{.Verdict}}</span>{{with .Text}}<br>{{.}}{{end}}</td><td><ul>{{range .Calls}}<li><code>{{.}}</code></li>{{end}}</ul></td></tr>
{{- end}}
</tbody>
</table>
</html>
`))

// HTML is the walk as a page of its own.
func (w *Walk) HTML(calls Calls) (string, error) {
	type row struct {
		Number                      int
		Shown, Says, Contract, Text string
		Verdict                     Verdict
		Calls                       []string
	}
	var rows []row
	for i := range w.Steps {
		s := &w.Steps[i]
		rows = append(rows, row{i + 1, s.Shown, s.Says, s.contractText(), s.Text, s.Verdict, calls(s)})
	}
	var b strings.Builder
	err := page.Execute(&b, map[string]any{"Of": w.Of(), "Summary": w.summary(), "Rows": rows})
	return b.String(), err
}

type junitSuite struct {
	XMLName  xml.Name    `xml:"testsuite"`
	Name     string      `xml:"name,attr"`
	Tests    int         `xml:"tests,attr"`
	Failures int         `xml:"failures,attr"`
	Skipped  int         `xml:"skipped,attr"`
	Time     string      `xml:"timestamp,attr"`
	Cases    []junitCase `xml:"testcase"`
}

type junitCase struct {
	Name    string        `xml:"name,attr"`
	Class   string        `xml:"classname,attr"`
	Failure *junitMessage `xml:"failure"`
	Skipped *junitMessage `xml:"skipped"`
	Out     string        `xml:"system-out,omitempty"`
}

type junitMessage struct {
	Message string `xml:"message,attr"`
	Text    string `xml:",chardata"`
}

// JUnit is the walk as a suite of tests: a defect is a failure, a step of which nothing was said
// is skipped.
func (w *Walk) JUnit(calls Calls) (string, error) {
	suite := junitSuite{Name: "Boundary values: " + w.Of(), Tests: len(w.Steps), Time: w.Started.UTC().Format("2006-01-02T15:04:05")}
	for i := range w.Steps {
		s := &w.Steps[i]
		lines := strings.Join(calls(s), "\n")
		one := junitCase{Name: strconv.Itoa(i+1) + " " + s.ID, Class: w.Service + "." + cmp.Or(w.Mapping, w.Operation), Out: printable(s.Shown + "\n" + lines)}
		switch s.Verdict {
		case Defect:
			suite.Failures++
			one.Failure = &junitMessage{printable(cmp.Or(s.Text, "a defect")), printable(s.Shown + " (" + s.Says + ")")}
		case "":
			suite.Skipped++
			one.Skipped = &junitMessage{Message: "nothing was said of it"}
		}
		suite.Cases = append(suite.Cases, one)
	}
	text, err := xml.MarshalIndent(suite, "", "  ")
	return xml.Header + string(text) + "\n", err
}

// printable is a text without characters that XML does not have.
func printable(text string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' && r != '\n' && r != '\t' {
			return '\uFFFD'
		}
		return r
	}, text)
}
