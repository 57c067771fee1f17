package folder_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

func never(_, _, _ string, _ any) bool { return false }

// after is what a folder has once the changes are carried out.
func after(files []folder.File, changes []folder.Change) (out []folder.File) {
	changed := make(map[string]bool)
	for _, c := range changes {
		if changed[c.Name] = true; !c.Remove {
			out = append(out, folder.File{Name: c.Name, Text: c.Text})
		}
	}
	for _, f := range files {
		if !changed[f.Name] {
			out = append(out, f)
		}
	}
	return out
}

func TestFaultsOfFoldersAreNamedAndTheRestIsRead(t *testing.T) {
	file := func(name, text string) folder.File { return folder.File{Name: name, Text: []byte(text)} }
	f := folder.Read([]folder.File{
		file("notes.txt", ""), file("moorings/notes.txt", ""), file("bad name/service.yaml", ""),
		file("moorings/service.yaml", "seed: x"), file("tides/service.yaml", "{title: Tides, seed: 7}"),
		file("tides/a.mappings.yaml", "id: moon\ncall: {path: /moon}"), file("tides/b.mappings.yaml", "- id: sun\n  call: {path: /sun}\n- id: moon\n  call: {path: /moon}"),
		file("tides/contract.yaml", "a"), file("tides/contract/b.wsdl", "b"), file("tides/payloads/year.json", "{}"),
	})
	var faults []string
	for _, fault := range f.Faults {
		faults = append(faults, fault.String())
	}
	for i, want := range []string{
		`bad name/service.yaml: the folder names a service`, `moorings/service.yaml:1:7: seed must be a number, not "x"`,
		`tides/b.mappings.yaml:3:3: id "moon" is used in tides/a.mappings.yaml:1 too`, `tides/contract: a service has one contract, and tides/contract.yaml is there too`,
	} {
		if assert.Greater(t, len(faults), i, want) {
			assert.Contains(t, faults[i], want)
		}
	}
	assert.Equal(t, []string{"moorings/notes.txt", "notes.txt"}, f.Unknown)
	tides := f.Find("tides")
	require.NotNil(t, tides)
	assert.True(t, tides.Faulty)
	assert.Equal(t, "Tides", tides.Settings.Title)
	assert.Equal(t, int64(7), *tides.Settings.Seed)
	assert.Len(t, tides.Mappings, 2)
	assert.Equal(t, map[string][]byte{"year.json": []byte("{}")}, tides.Payloads)
}

// A folder below that of a service is a service of its own where it has a service.yaml;
// else it holds mappings of the one above.
func TestServicesBelowOthers(t *testing.T) {
	file := func(name, text string) folder.File { return folder.File{Name: name, Text: []byte(text)} }
	f := folder.Read([]folder.File{
		file("v1/service.yaml", "title: V1"), file("v1/piers/a.mappings.yaml", "{id: a, call: {path: /a}}"), file("v1/orders/b.mappings.yaml", "{id: b, call: {path: /b}}"),
		file("v1/orders/service.yaml", "title: Orders"), file("v1/orders/payloads/p.json", "{}"), file("v1/orders/contract/x/service.yaml", "x"), file("v1/orders/old/service.yaml", "name: v1/orders/old"),
		file("v1/contract/service.yaml", "y"), file("v1/orders/what.txt", ""), file("a/b/c/d/e/f/service.yaml", ""),
	})
	var services []string
	for _, s := range f.Services {
		services = append(services, s.Name)
	}
	assert.Equal(t, []string{"v1", "v1/orders", "v1/orders/old"}, services)
	assert.Equal(t, "Orders", f.Find("v1/orders").Settings.Title)
	assert.Equal(t, "a", f.Find("v1").Mappings[0].ID)
	assert.Equal(t, "b", f.Find("v1/orders").Mappings[0].ID)
	assert.Contains(t, f.Find("v1/orders").Payloads, "p.json")
	assert.NotNil(t, f.Find("v1/orders").Contract)
	assert.NotNil(t, f.Find("v1").Contract)
	assert.Equal(t, []string{"a/b/c/d/e/f/service.yaml", "v1/orders/what.txt"}, f.Unknown)
}

// Whatever form the files have, an update leaves a folder that says what the
// environment holds.
func TestUpdateOfEveryForm(t *testing.T) {
	state := folder.State{Settings: spec.NewService("tides"), Mappings: mappings(t, "- id: a\n  call: {path: /a}\n  answer: {text: new}\n- id: b\n  call: {path: /b}\n")}
	for name, c := range map[string]struct{ text, want string }{
		"a block list":      {"# top\n- id: a\n  call: {path: /a}\n# of b\n- id: b\n  call: {path: /b}\n", "# top\n- id: a\n  call:\n    path: /a\n  answer:\n    status: 200\n    text: new\n# of b\n- id: b\n  call: {path: /b}\n"},
		"an indented list":  {"  - id: b\n    call: {path: /b}\n  - id: a\n    call: {path: /a}\n", "  - id: b\n    call: {path: /b}\n  - id: a\n    call:\n      path: /a\n    answer:\n      status: 200\n      text: new\n"},
		"no newline at end": {"- id: b\n  call: {path: /b}\n- id: a\n  call: {path: /a}", "text: new\n"},
		"JSON":              {"[{\"id\": \"a\", \"call\": {\"path\": \"/a\"}},\n {\"id\": \"b\", \"call\": {\"path\": \"/b\"}}]", "- id: b\n"},
		"one that is gone":  {"- id: gone\n  call: {path: /x}\n# of b\n- id: b\n  call: {path: /b}\n", "# of b\n- id: b\n  call: {path: /b}\n- id: a\n"},
		"only gone ones":    {"- id: gone\n  call: {path: /x}\n", "- id: a\n"},
		"nothing yet":       {"", "- id: a\n"},
		"a single mapping":  {"# one\nid: a\ncall: {path: /a}\n", "# one\nid: a\ncall:\n  path: /a\nanswer:\n  status: 200\n  text: new\n"},
	} {
		t.Run(name, func(t *testing.T) {
			files := []folder.File{{Name: "tides/all.mappings.yaml", Text: []byte(c.text)}}
			if c.text == "" {
				files = nil
			}
			changes, err := folder.Update(files, []folder.State{state}, never)
			require.NoError(t, err)
			files = after(files, changes)
			text := ""
			for _, f := range files {
				if strings.HasPrefix(f.Name, "tides/all") {
					text += string(f.Text)
				}
			}
			assert.Contains(t, text, c.want)
			again, err := folder.Update(files, []folder.State{state}, never)
			require.NoError(t, err)
			assert.Empty(t, again, "the folder says what the environment holds")
		})
	}
}

func mappings(t testing.TB, text string) []spec.Mapping {
	list, err := spec.ReadMappings([]byte(text))
	require.NoError(t, err)
	return list
}

// What belongs to no single service is written to a file of its own, which stays as
// it is when it says the same.
func TestUpdateOfTheEnvironment(t *testing.T) {
	rate := spec.Rate(20)
	seed := int64(3)
	impaired := spec.TargetImpairment{Target: spec.Target{Service: "tides"}, Impairment: spec.Impairment{Errors: &spec.Errors{Rate: &rate}, Seed: &seed}}
	state := spec.Environment{Impairments: []spec.TargetImpairment{impaired}, Scenarios: []spec.Scenario{{Name: "ebb"}, {Name: "flood", Title: "new"}}}
	kept := func(_, kind, id string, _ any) bool { return kind == "scenario" && id == "mine" }
	for name, k := range map[string]struct {
		before string
		state  spec.Environment
		want   string // "" for no change
	}{
		"nothing yet":             {"", state, "impairments:\n  - target:\n      service: tides\n    impairment:\n      errors:\n        rate: 20%\n      seed: 3\nscenarios:\n  - name: ebb\n  - name: flood\n    title: new\n"},
		"nothing at all":          {"", spec.Environment{}, ""},
		"switches as usual":       {"", spec.Environment{ImpairmentsOff: new(bool), Scenario: new(string)}, ""},
		"switches":                {"", spec.Environment{ImpairmentsOff: new(bool), Scenario: &state.Scenarios[0].Name}, "scenario: ebb\n"},
		"a switch back":           {"scenario: flood\nimpairmentsOff: true\n", spec.Environment{ImpairmentsOff: new(bool), Scenario: &state.Scenarios[0].Name}, "impairmentsOff: false\nscenario: ebb\n"},
		"ignored calls":           {"", spec.Environment{Ignored: &spec.Ignored{Calls: []string{"path:/health"}}}, "ignored:\n  off: false\n  calls:\n    - path:/health\n"},
		"none ignored":            {"", spec.Environment{Ignored: &spec.Ignored{}}, ""},
		"ignored no more":         {"ignored: {calls: [a]}\n", spec.Environment{Ignored: &spec.Ignored{Calls: []string{}}}, "ignored:\n  off: false\n  calls: []\n"},
		"variables":               {"# mine\nvariables: {a: 1}\n", spec.Environment{VariableTable: spec.VariableTable{Variables: map[string]spec.Variable{"b": {Secret: true}}, VariableSets: map[string]map[string]spec.Variable{"s": {"c": {Value: tree.NewNumber("1.50")}}}}}, "variables:\n  b:\n    secret: true\nvariableSets:\n  s:\n    c: 1.50\n"},
		"an empty set is none":    {"# mine\nvariableSets: {s: {c: 1.50}, t: {}}\nvariables: {b: {secret: true}}\n", spec.Environment{VariableTable: spec.VariableTable{Variables: map[string]spec.Variable{"b": {Secret: true, Value: tree.NewString("hush-hush")}}, VariableSets: map[string]map[string]spec.Variable{"s": {"c": {Value: tree.NewNumber("1.50")}}}}}, "variables:\n  b:\n    secret: true\nvariableSets:\n  s:\n    c: 1.50\n"},
		"the same, in words":      {"# shared\nscenarios: [{name: ebb}, {title: new, name: flood}]\nimpairments: [{target: {service: tides}, impairment: {seed: 3, errors: {rate: 20%}}}]\n", state, ""},
		"the same without a seed": {"scenarios: [{name: ebb}, {title: new, name: flood}]\nimpairments: [{target: {service: tides}, impairment: {errors: {rate: 20%}}}]\n", state, ""},
		"an older one":            {"scenarios: [{title: old, name: flood}, {name: mine}, {name: gone}]\n", spec.Environment{Scenarios: state.Scenarios}, "scenarios:\n  - name: flood\n    title: new\n  - name: mine\n  - name: ebb\n"},
		"a faulty one":            {"scenarios: [{nam: ebb}]\n", state, ""},
		"nothing any more":        {"scenarios: [{name: gone}]\n", spec.Environment{}, "removed"},
	} {
		t.Run(name, func(t *testing.T) {
			var files []folder.File
			if k.before != "" {
				files = []folder.File{{Name: "environment.yaml", Text: []byte(k.before)}}
			}
			changes, err := folder.UpdateEnvironment(files, k.state, kept)
			require.NoError(t, err)
			if k.want == "" {
				assert.Empty(t, changes)
				return
			}
			require.Len(t, changes, 1)
			assert.Equal(t, k.want == "removed", changes[0].Remove)
			if changes[0].Remove {
				return
			}
			assert.Equal(t, k.want, string(changes[0].Text))
			again, err := folder.UpdateEnvironment(after(files, changes), k.state, kept)
			require.NoError(t, err)
			assert.Empty(t, again, "the file says what the environment holds")
		})
	}
	read := folder.Read([]folder.File{{Name: "environment.yaml", Text: []byte("scenarios:\n  - name: ebb\n  - nme: flood\n")}})
	require.Len(t, read.Faults, 1)
	assert.Equal(t, `environment.yaml:3:5: "nme" is not a key of scenario (name?)`, read.Faults[0].String())
	assert.True(t, read.Environment.Faulty)
	assert.Empty(t, read.Unknown)
}

// What is written out is read back to the same, whatever stands in it.
func FuzzFoldersReadBackWhatWasWritten(f *testing.F) {
	for _, text := range []string{"", "plain", "${call.path.n}", "a\nb\n", " lead", "a: b # c", "- x", "\t", "007", "yes", "null", "a\n \n  b", "\"quoted\"", "#", "é\u2028x", "trail ", "a\r\nb", "\n\u2028"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if strings.ToValidUTF8(text, "") != text {
			return
		}
		m := spec.Mapping{ID: "m", Title: text, Enabled: true, Call: spec.Pattern{Path: "/x"}, Answer: spec.Answer{Status: spec.Status{Code: 200}, Text: &text}}
		state := folder.State{Settings: spec.NewService("tides"), Mappings: []spec.Mapping{m}, Payloads: map[string][]byte{"p.txt": []byte(text)}}
		changes, err := folder.Update(nil, []folder.State{state}, never)
		if err != nil {
			t.Fatal(err)
		}
		read := folder.Read(after(nil, changes))
		if len(read.Faults) > 0 {
			t.Fatalf("%q: %v", text, read.Faults)
		}
		if got := read.Services[0].Mappings[0].Mapping; !folder.SameMapping(m, got) {
			t.Fatalf("%q comes back as %q and %q", text, got.Title, *got.Answer.Text)
		}
	})
}
