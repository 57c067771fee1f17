package api

import "rapidmimic.example/spec/problem"

// ApplyReport says what came of applying a folder.
type ApplyReport struct {
	// Items are the definitions that are not as the folder has them, or were not.
	Items     []ApplyItem `json:"items"`
	Unchanged int         `json:"unchanged"`
	// Faults are in files, or in definitions, that cannot be used; what they stood
	// for stays as it was.
	Faults []problem.Item `json:"faults"`
	// Unknown are files that have no place in a folder.
	Unknown []string `json:"unknown"`
	// Conflicts counts what was changed on both sides. When there are any nothing
	// was changed.
	Conflicts int  `json:"conflicts"`
	DryRun    bool `json:"dryRun,omitempty"`
}

// ApplyItem is what becomes of one definition.
type ApplyItem struct {
	Service string `json:"service"`
	Kind    string `json:"kind"` // service, contract, payload or mapping
	ID      string `json:"id,omitempty"`
	File    string `json:"file,omitempty"`
	Line    int    `json:"line,omitempty"`
	Outcome string `json:"outcome"` // created, changed, removed, conflict or left
	Detail  string `json:"detail,omitempty"`
}

// Comparison is what of an environment is another than in a folder.
type Comparison struct {
	// Items are those definitions: before as they are here, after as the folder has them.
	Items []EntryItem `json:"items"`
	// Faults and Unknown are as in ApplyReport: what they are about was not compared.
	Faults  []problem.Item `json:"faults"`
	Unknown []string       `json:"unknown"`
}

// ExportReport says which files of a folder have to change for it to hold what
// the environment holds.
type ExportReport struct {
	Files []ExportFile `json:"files"`
	// Unchanged counts the files that say it already.
	Unchanged int `json:"unchanged"`
	// Kept are definitions that changed in the folder and in the environment: they stay as
	// the folder has them.
	Kept []ApplyItem `json:"kept,omitempty"`
}

// ExportFile is what becomes of one file.
type ExportFile struct {
	Name    string `json:"name"`
	Outcome string `json:"outcome"` // created, changed or removed
	Content []byte `json:"content,omitempty"`
}
