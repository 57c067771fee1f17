package spec

import (
	"encoding/json"
	"errors"
	"fmt"
	"iter"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Variable is a value that expressions call by its name: ${vars.office}.
type Variable struct {
	// Value is any JSON, of a secret a text. It is nil for a secret whose value is not
	// given: then the one that is kept stays.
	Value *tree.Node
	// Secret keeps the value from being shown or exported. Documents that are written say
	// only that it is one.
	Secret bool
}

// DecodeTree reads a plain value, or { secret: true, value: … }.
func (v *Variable) DecodeTree(n *tree.Node) error {
	secret := n.Get("secret")
	if secret == nil || secret.Kind != tree.Bool {
		v.Value = n
		return nil
	}
	v.Secret, v.Value = secret.IsTrue(), n.Get("value")
	for _, m := range n.Members {
		if m.Key != "secret" && m.Key != "value" {
			return fmt.Errorf("is { secret: true, value: … }, which has no %q", m.Key)
		}
	}
	if v.Value != nil && v.Secret && v.Value.Kind != tree.String {
		return fmt.Errorf("is secret, so its value must be a text, not %s", v.Value.Kind)
	}
	if v.Value == nil && !v.Secret {
		return errors.New("has no value")
	}
	return nil
}

// MarshalJSON writes the value, but never that of a secret.
func (v Variable) MarshalJSON() ([]byte, error) {
	if v.Secret {
		return []byte(`{"secret":true}`), nil
	}
	return json.Marshal(v.Value)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (v *Variable) UnmarshalJSON(text []byte) error { return decodeJSON(text, v) }

// String is the value on a line; of a secret only whether there is one.
func (v Variable) String() string {
	switch {
	case v.Secret && v.Value == nil:
		return "(secret, without a value)"
	case v.Secret:
		return "(secret)"
	case v.Value.Kind == tree.String:
		return v.Value.Text
	default:
		return string(v.Value.AppendJSON(nil))
	}
}

// SortedVariables goes through variables by their names.
func SortedVariables(variables map[string]Variable) iter.Seq2[string, Variable] {
	return func(yield func(string, Variable) bool) {
		for _, name := range slices.Sorted(maps.Keys(variables)) {
			if !yield(name, variables[name]) {
				return
			}
		}
	}
}

// equal compares what MarshalJSON does not show, too.
func (v Variable) equal(w Variable) bool {
	return v.Secret == w.Secret && (v.Value == nil) == (w.Value == nil) && (v.Value == nil || tree.Equal(v.Value, w.Value))
}

// VariableTable are variables by name, and sets of them: while a set is in use, its
// variables come before the others. An environment and each service have one.
type VariableTable struct {
	Variables    map[string]Variable            `json:"variables,omitempty"`
	VariableSets map[string]map[string]Variable `json:"variableSets,omitempty"`
}

// Variables are those of the environment.
type Variables struct {
	VariableTable
	// VariableSet is the set that is in use, here and in every service that has one of this
	// name; "" for none.
	VariableSet string `json:"variableSet,omitempty"`
}

// Same reports whether two tables say the same, also of their secrets.
func (t VariableTable) Same(other VariableTable) bool {
	return sameVariables(t.Variables, other.Variables) && maps.EqualFunc(t.VariableSets, other.VariableSets, sameVariables)
}

func sameVariables(a, b map[string]Variable) bool { return maps.EqualFunc(a, b, Variable.equal) }

// Keeping is the table with the values of another one for the secrets that give none, of
// the same name in the same set. So what was no secret can become one.
func (t VariableTable) Keeping(other VariableTable) VariableTable {
	kept := VariableTable{Variables: keeping(t.Variables, other.Variables), VariableSets: maps.Clone(t.VariableSets)}
	for name, set := range kept.VariableSets {
		kept.VariableSets[name] = keeping(set, other.VariableSets[name])
	}
	return kept
}

// KeepingSecrets is Keeping for the variables of changes.
func (c Changes) KeepingSecrets(other Changes) Changes {
	c.Variables = keeping(c.Variables, other.Variables)
	return c
}

// SameSecrets reports whether the variables of two changes are the same, also where they
// are secret.
func (c Changes) SameSecrets(other Changes) bool { return sameVariables(c.Variables, other.Variables) }

func keeping(variables, other map[string]Variable) map[string]Variable {
	variables = maps.Clone(variables)
	for name, v := range variables {
		if had := other[name].Value; v.Secret && v.Value == nil && had != nil && had.Kind == tree.String && len(had.Text) >= MinSecret {
			variables[name] = Variable{Value: had, Secret: true}
		}
	}
	return variables
}

// EachSecret calls do with the place in the document and the value of every secret, "" for
// one without. What it returns becomes the value, unless that is "".
func (t VariableTable) EachSecret(do func(place, value string) string) {
	each := func(at string, variables map[string]Variable) {
		for name, v := range variables {
			if v.Secret {
				value := ""
				if v.Value != nil {
					value = v.Value.Text
				}
				if value = do(tree.Join(at, name), value); value != "" {
					variables[name] = Variable{Value: tree.NewString(value), Secret: true}
				}
			}
		}
	}
	each("/variables", t.Variables)
	for name, set := range t.VariableSets {
		each(tree.Join("/variableSets", name), set)
	}
}

// Bounds of variables.
const (
	// MaxVariables is how many a table or a set may have.
	MaxVariables = 500
	// MaxVariable is how large a value may be, in bytes.
	MaxVariable = 64 << 10
	// MinSecret is how long a secret must be, in bytes: shorter ones could not be told from
	// what calls say anyway, and so not be kept out of the log.
	MinSecret = 8
)

var variableName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]{0,62}$`)

// VariableNameRule says in words what the name of a variable may be.
const VariableNameRule = "letters, digits and `_`, beginning with no digit, at most 63, and no word that expressions reserve"

// ValidVariable reports whether a name can be that of a variable.
func ValidVariable(name string) bool {
	return variableName.MatchString(name) && !slices.Contains(reservedWords, name)
}

func (t VariableTable) faults() (items []problem.Item) {
	items = variableFaults(t.Variables, "/variables")
	for name, set := range t.VariableSets {
		at := tree.Join("/variableSets", name)
		if !ValidName(name) {
			items = append(items, problem.Item{At: at, Detail: fmt.Sprintf("the name of a set is %s, not %q", NameRule, name)})
		}
		items = append(items, variableFaults(set, at)...)
	}
	if len(t.VariableSets) > MaxVariables {
		items = append(items, problem.Item{At: "/variableSets", Detail: "there are more than " + strconv.Itoa(MaxVariables) + " sets"})
	}
	return items
}

func variableFaults(variables map[string]Variable, at string) (items []problem.Item) {
	if len(variables) > MaxVariables {
		items = append(items, problem.Item{At: at, Detail: "there are more than " + strconv.Itoa(MaxVariables) + " variables"})
	}
	for _, name := range slices.Sorted(maps.Keys(variables)) {
		fault := func(format string, args ...any) {
			items = append(items, problem.Item{At: tree.Join(at, name), Detail: fmt.Sprintf(format, args...)})
		}
		v := variables[name]
		if !ValidVariable(name) {
			fault("the name of a variable is %s, not %q", VariableNameRule, name)
		}
		if v.Value == nil {
			continue
		}
		size := len(v.Value.Text)
		if v.Value.Kind == tree.List || v.Value.Kind == tree.Map {
			size = len(v.Value.AppendJSON(nil))
		}
		switch {
		case size > MaxVariable:
			fault("a variable has at most %d KiB, and %s has %d", MaxVariable>>10, name, size>>10)
		case v.Secret && len(v.Value.Text) < MinSecret:
			fault("a secret needs at least %d characters: a shorter one could not be kept out of the log", MinSecret)
		case v.Secret && strings.TrimSpace(v.Value.Text) != v.Value.Text:
			fault("the secret begins or ends with white space, which is hardly meant")
		}
	}
	return items
}

// writtenSecrets refuses secrets whose values stand in a file.
func (t VariableTable) writtenSecrets() (items []problem.Item) {
	t.EachSecret(func(place, value string) string {
		if value != "" {
			items = append(items, problem.Item{At: place, Detail: "the value of a secret does not belong in a file: write { secret: true } here, and set the value in the environment"})
		}
		return ""
	})
	return items
}

// WrittenSecrets is what is wrong with a service in a file: values of its secrets.
func (s Service) WrittenSecrets() error {
	return problem.FromItems("the service cannot be used", s.writtenSecrets())
}

var variablesKind = kind[Variables]{
	noun: "variables", key: "variables", added: []string{"sets", "resolved"},
	read: func(n *tree.Node, _ string) (v Variables, items []problem.Item) {
		items = tree.Decode(n, &v, "variables")
		return v, append(items, Besides(items, tree.Locate(n, v.faults()), n)...)
	},
}

func (v Variables) faults() []problem.Item {
	items := v.VariableTable.faults()
	if v.VariableSet != "" && !ValidName(v.VariableSet) {
		items = append(items, problem.Item{At: "/variableSet", Detail: fmt.Sprintf("the name of a set is %s, not %q", NameRule, v.VariableSet)})
	}
	return items
}

// GivenVariables reads a document of the environment's variables, which has no name.
func GivenVariables(text []byte, _ string) (Given[Variables], error) {
	return variablesKind.one(text, "")
}
