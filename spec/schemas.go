package spec

import "embed"

// Schemas holds the JSON Schemas of the documents, for editors that complete
// and check: a file for each kind, in schemas/.
//
//go:embed schemas/*.json
var Schemas embed.FS

// ScriptTypes declares the types of scripts of mappings, for editors, in TypeScript.
//
//go:embed mimic.d.ts
var ScriptTypes string
