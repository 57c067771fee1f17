package spec

import "embed"

// Schemas holds the JSON Schemas of the documents, for editors that complete
// and check: schemas/mappings.json and schemas/service.json.
//
//go:embed schemas/*.json
var Schemas embed.FS
