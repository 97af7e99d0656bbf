package planfile

import (
	"bytes"
	_ "embed" // the schema is a file, as editors read it
)

//go:embed schema.json
var schema []byte

// Schema returns a JSON Schema (draft 2020-12) of the plan, by which editors complete keys and mark mistakes. A test
// holds it to what Read takes.
func Schema() []byte { return bytes.Clone(schema) }
