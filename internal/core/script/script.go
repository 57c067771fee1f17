// Package script runs what a mapping answers with when expressions cannot say it: JavaScript, with
// a call, what the service remembers and drawn data at hand, and nothing else. It is the one package
// that knows the interpreter. A script can allocate whatever it likes before it is stopped, so
// Runner belongs into a process of its own; Compile is safe anywhere.
package script

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/dop251/goja"
	"github.com/dop251/goja/file"
	"github.com/dop251/goja/parser"
)

// MaxSource bounds a script, in bytes.
const MaxSource = 200_000

// IDLength is how long the id of a script is, in bytes.
const IDLength = 32

// Script is a script that compiles. It is immutable.
type Script struct {
	// ID is a digest of the source: the same scripts have the same.
	ID string
	// Source is the script as it is written.
	Source string

	wants  [PartCount]bool
	writes bool
}

// Part is a part of a call that takes work to make.
type Part int

// The parts that a script may want.
const (
	Path Part = iota
	Query
	Headers
	Cookies
	Text
	Body
	Vars
	PartCount
)

// partWords are what a script that looks at a part has in it.
var partWords = [PartCount]string{"path", "quer", "headers", "cookies", "text", "body", "vars"}

// Fault is what is wrong with a script, or what it threw, at a place of its source; Line is 0
// where that is not known.
type Fault struct {
	Message   string
	Line, Col int
}

func (f *Fault) Error() string {
	if f.Line == 0 {
		return f.Message
	}
	return fmt.Sprintf("line %d, character %d: %s", f.Line, f.Col, f.Message)
}

var exported = regexp.MustCompile(`(?m)^([ \t]*)export[ \t]+default[ \t]`)

// answerName is what the function that answers is assigned to. It is as long as "export default",
// so that places stay what they are.
const answerName = "exports.answer="

// Compile compiles a script. The error is a Fault.
func Compile(source string) (*Script, error) {
	if len(source) > MaxSource {
		return nil, &Fault{Message: fmt.Sprintf("a script has at most %d bytes, not %d", MaxSource, len(source))}
	}
	if _, err := program(source); err != nil {
		return nil, err
	}
	sum := sha256.Sum256([]byte(source))
	s := &Script{ID: hex.EncodeToString(sum[:IDLength/2]), Source: source}
	mentions := func(word string) bool { return strings.Contains(source, word) }
	all := slices.ContainsFunc(wholesale, mentions)
	for part, word := range partWords {
		s.wants[part] = all || mentions(word)
	}
	s.writes = slices.ContainsFunc([]string{"remember", "append", "forget", "move"}, mentions)
	return s, nil
}

// program is a script as the interpreter takes it: a function that assigns the one that answers.
func program(source string) (*goja.Program, error) {
	places := exported.FindAllStringSubmatchIndex(source, -1)
	switch len(places) {
	case 0:
		return nil, &Fault{Message: "a script needs a function that answers: export default (call, state, fake) => ({ status: 200, json: {} })"}
	case 1:
	default:
		line := 1 + strings.Count(source[:places[1][0]], "\n")
		return nil, &Fault{Message: "a script has one export default", Line: line, Col: 1}
	}
	from, to := places[0][3], places[0][1]
	if strings.Contains(source, "\nimport ") || strings.HasPrefix(source, "import ") {
		return nil, &Fault{Message: "a script cannot import others"}
	}
	name := answerName + strings.Repeat(" ", max(0, to-from-len(answerName)))
	text := "(function(exports,console){'use strict';" + source[:from] + name + source[to:] + "\n})"
	parsed, err := goja.Parse("script", text, parser.WithDisableSourceMaps)
	if err != nil {
		return nil, parseFault(err)
	}
	compiled, err := goja.CompileAST(parsed, true)
	if err != nil {
		var syntax *goja.CompilerSyntaxError
		if errors.As(err, &syntax) && syntax.File != nil {
			return nil, at(syntax.Message, syntax.File.Position(syntax.Offset))
		}
		return nil, &Fault{Message: err.Error()}
	}
	return compiled, nil
}

func parseFault(err error) *Fault {
	var list parser.ErrorList
	if errors.As(err, &list) && len(list) > 0 {
		return at(list[0].Message, list[0].Position)
	}
	if found := syntaxPlace.FindStringSubmatch(err.Error()); found != nil {
		line, _ := strconv.Atoi(found[1])
		column, _ := strconv.Atoi(found[2])
		return at(found[3], file.Position{Line: line, Column: column})
	}
	return &Fault{Message: err.Error()}
}

var syntaxPlace = regexp.MustCompile(`Line (\d+):(\d+) (.*?)(?: \(and \d+ more errors\))?$`)

// prefix is what stands before the source on its first line.
const prefix = len("(function(exports,console){'use strict';")

func at(message string, p file.Position) *Fault {
	f := &Fault{Message: message, Line: p.Line, Col: p.Column}
	if f.Line == 1 {
		f.Col = max(1, f.Col-prefix)
	}
	return f
}

// wholesale are signs that a script may look at all parts of a call without naming them.
var wholesale = []string{"stringify(", "Object.", "Reflect.", "call[", "...", " in call"}

// Wants reports whether a script may look at a part of the call, which need not be worked out
// otherwise.
func (s *Script) Wants(part Part) bool { return s.wants[part] }

// Writes reports whether the script may change what the service remembers.
func (s *Script) Writes() bool { return s.writes }
