package folder

import (
	"bytes"
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// State is what an environment holds of one service.
type State struct {
	Settings spec.Service
	Contract *ContractState // nil without one
	Mappings []spec.Mapping
	Payloads map[string][]byte
}

// ContractState is a contract as it was imported.
type ContractState struct {
	File string // the name of the imported file
	Text []byte // a document, or an archive of several
}

// Change is what becomes of one file.
type Change struct {
	Name   string
	Text   []byte
	Remove bool
}

// Keep reports whether a definition stays as the folder has it, which local is, though
// the environment has it otherwise, or not at all.
type Keep func(service, kind, id string, local any) bool

// Update says which files of a folder have to change for it to hold what an
// environment holds. A file that says the same already stays as it is, with its
// comments; in one that does not, only the mappings that differ are written
// anew. keep tells of what the folder has otherwise whether that stays.
func Update(files []File, states []State, keep Keep) ([]Change, error) {
	u := &updater{now: make(map[string][]byte), next: make(map[string][]byte), keep: keep}
	for _, f := range files {
		u.now[f.Name], u.next[f.Name] = f.Text, f.Text
	}
	folder := Read(files)
	for _, state := range states {
		local := folder.Find(state.Settings.Name)
		if local == nil {
			local = &Service{Name: state.Settings.Name}
		}
		if err := u.service(local, state); err != nil {
			return nil, err
		}
	}
	return u.changes(), nil
}

type updater struct {
	now, next map[string][]byte
	keep      Keep
}

func (u *updater) changes() (changes []Change) {
	for name, text := range u.next {
		if before, there := u.now[name]; !there || !bytes.Equal(before, text) {
			changes = append(changes, Change{Name: name, Text: text})
		}
	}
	for name := range u.now {
		if _, stays := u.next[name]; !stays {
			changes = append(changes, Change{Name: name, Remove: true})
		}
	}
	slices.SortFunc(changes, func(a, b Change) int { return strings.Compare(a.Name, b.Name) })
	return changes
}

func (u *updater) service(local *Service, state State) error {
	if local.Settings == nil || !SameSettings(*local.Settings, state.Settings) && !u.keep(local.Name, "service", "", *local.Settings) {
		settings, err := u.memoryFiles(local, state.Settings)
		if err != nil {
			return err
		}
		text, err := settingsText(settings)
		if err != nil {
			return err
		}
		u.next[path.Join(local.Name, settingsFile)] = text
	}
	if err := u.contract(local, state.Contract); err != nil {
		return err
	}
	prefix := local.Name + "/" + payloadDir
	for name, content := range local.Payloads {
		if _, there := state.Payloads[name]; !there && !u.keep(local.Name, "payload", name, content) {
			delete(u.next, prefix+name)
		}
	}
	for name, content := range state.Payloads {
		mine, there := local.Payloads[name]
		if !there || !bytes.Equal(mine, content) && !u.keep(local.Name, "payload", name, mine) {
			u.next[prefix+name] = content
		}
	}
	return u.mappings(local, state.Mappings)
}

func (u *updater) contract(local *Service, state *ContractState) error {
	if state == nil || local.Contract != nil && (SameContract(local.Contract.Text, state.Text) || u.keep(local.Name, "contract", "", ContractBytes(local.Contract.Text))) {
		return nil
	}
	for name := range u.next {
		inside := strings.TrimPrefix(name, local.Name+"/")
		if inside != name && (strings.HasPrefix(inside, contractDir) || strings.HasPrefix(inside, contractStem) && !strings.Contains(inside, "/")) {
			delete(u.next, name)
		}
	}
	if !bundle.IsArchive(state.Text) {
		u.next[path.Join(local.Name, contractStem+endingOf(state))] = state.Text
		return nil
	}
	files, err := bundle.Unpack(state.Text, MaxFiles)
	for _, f := range files {
		u.next[path.Join(local.Name, contractDir, f.Name)] = f.Text
	}
	return err
}

// endingOf is the ending that a contract's file has.
func endingOf(c *ContractState) string {
	switch ending := strings.ToLower(strings.TrimPrefix(path.Ext(c.File), ".")); ending {
	case "yaml", "yml", "json", "wsdl", "xml":
		return ending
	}
	switch trimmed := bytes.TrimSpace(c.Text); {
	case bytes.HasPrefix(trimmed, []byte("<")):
		return "wsdl"
	case bytes.HasPrefix(trimmed, []byte("{")):
		return "json"
	default:
		return "yaml"
	}
}

// mappings brings the files of mappings to what the environment has.
func (u *updater) mappings(local *Service, state []spec.Mapping) error {
	wanted := make(map[string]*spec.Mapping, len(state))
	for i := range state {
		wanted[state[i].ID] = &state[i]
	}
	edits := make(map[string][]edit) // by file
	for _, m := range local.Mappings {
		want := wanted[m.ID]
		delete(wanted, m.ID)
		if want != nil && SameMapping(*want, m.Mapping) || u.keep(local.Name, "mapping", m.ID, m.Mapping) {
			continue
		}
		edits[m.File] = append(edits[m.File], edit{m.Line, want})
	}
	for file, list := range edits {
		text, left, err := rewrite(u.now[file], list)
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		if u.next[file] = text; left == 0 {
			delete(u.next, file)
		}
	}
	var fresh []spec.Mapping
	for _, m := range wanted {
		fresh = append(fresh, *m)
	}
	if len(fresh) == 0 {
		return nil
	}
	slices.SortFunc(fresh, func(a, b spec.Mapping) int { return strings.Compare(a.ID, b.ID) })
	return u.add(path.Join(local.Name, "all"+mappingEnding), fresh)
}

// add puts mappings that no file has at the end of a file.
func (u *updater) add(file string, mappings []spec.Mapping) error {
	text := bytes.Clone(u.next[file])
	if len(text) > 0 {
		if n, err := tree.Parse(text); err != nil || n.Kind != tree.List || n.Line == 0 || !bytes.Contains(text, []byte("\n- ")) && !bytes.HasPrefix(text, []byte("- ")) {
			return u.add(strings.TrimSuffix(file, mappingEnding)+"-more"+mappingEnding, mappings)
		}
		if !bytes.HasSuffix(text, []byte("\n")) {
			text = append(text, '\n')
		}
	}
	for i := range mappings {
		item, err := itemText(&mappings[i], "")
		if err != nil {
			return err
		}
		text = append(text, item...)
	}
	u.next[file] = text
	return nil
}

// SameMapping reports whether two mappings say the same.
func SameMapping(a, b spec.Mapping) bool { return bytes.Equal(canonical(a), canonical(b)) }

// SameSettings reports whether two services have the same settings.
func SameSettings(a, b spec.Service) bool {
	a.ID, b.ID = "", ""
	return bytes.Equal(canonical(a), canonical(b))
}

// SameContract reports whether two contracts consist of the same files.
func SameContract(a, b []byte) bool { return bytes.Equal(ContractBytes(a), ContractBytes(b)) }

// ContractBytes are a contract without what its packing adds: two with the same
// files have the same.
func ContractBytes(text []byte) []byte {
	if !bundle.IsArchive(text) {
		return text
	}
	files, err := bundle.Unpack(text, MaxFiles)
	if err != nil {
		return text
	}
	slices.SortFunc(files, func(a, b File) int { return strings.Compare(a.Name, b.Name) })
	var b bytes.Buffer
	for _, f := range files {
		fmt.Fprintf(&b, "%q %d\n", f.Name, len(f.Text))
		b.Write(f.Text)
	}
	return b.Bytes()
}

func canonical(v any) []byte {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err) // our own documents always marshal
	}
	return text
}

// settingsText is service.yaml: what differs from the defaults.
func settingsText(s spec.Service) ([]byte, error) {
	s.ID = ""
	n, err := tree.From(s)
	if err != nil {
		return nil, err
	}
	usual, err := tree.From(spec.NewService(s.Name))
	if err != nil {
		return nil, err
	}
	var members []tree.Member
	for _, m := range n.Members {
		if m.Key == "name" || usual.Get(m.Key) == nil || !tree.Equal(m.Value, usual.Get(m.Key)) {
			members = append(members, m)
		}
	}
	return tree.NewMap(members...).YAML()
}
