package nginx

import (
	"errors"
	"fmt"
	"math/bits"
	"strings"
)

// How large nginx makes a table that nothing is said of, in bytes of a bucket and in buckets, and what of a bucket a
// key takes besides its length. Tables of many rows are slow when they are small.
const (
	usualBucket = 64
	usualMost   = 2048
	aroundKey   = 18
	manyRows    = 100
)

// hashed notes a key that nginx looks up in a table.
func (e *emitter) hashed(key string) {
	e.bucket = max(e.bucket, 1<<bits.Len(uint(len(key)+aroundKey-1)))
}

// hash says how large nginx has to make its tables; nil where it needn't be told.
func (e *emitter) hash() []byte {
	rows := e.addresses.rows + e.spelled.rows + e.hosts.rows
	if e.bucket <= usualBucket && rows <= manyRows {
		return nil
	}
	return []byte(sizes(e.bucket, max(usualMost, 2*rows)))
}

func sizes(bucket, most int) string {
	return fmt.Sprintf("map_hash_bucket_size %d;\nmap_hash_max_size %d;\n", bucket, most)
}

// Once names the file that says how large tables are.
func (Target) Once() string { return HashFile }

// Merge returns the larger of what several sites want of the size of tables; each text is one that Emit wrote, or
// lines of a configuration.
func (Target) Merge(texts []string) string {
	bucket, most := usualBucket, usualMost
	for _, text := range texts {
		for line := range strings.Lines(text) {
			var n int
			if _, err := fmt.Sscanf(line, "map_hash_bucket_size %d;", &n); err == nil {
				bucket = max(bucket, n)
			}
			if _, err := fmt.Sscanf(line, "map_hash_max_size %d;", &n); err == nil {
				most = max(most, n)
			}
		}
	}
	return sizes(bucket, most)
}

// Main finds the beginning of the http block, where it must be said before all tables, and what is said there already.
func (Target) Main(text string) (at int, says []string, err error) {
	at = -1
	depth := 0
	var directive []string
	for _, t := range tokens(text) {
		switch {
		case t.is("{"):
			if depth++; at < 0 && len(directive) > 0 && directive[0] == "http" {
				at = lineBehind(text, t.end)
			}
			directive = nil
		case t.is("}"):
			depth--
			directive = nil
		case t.is(";"):
			if len(directive) == 2 && strings.HasPrefix(directive[0], "map_hash_") {
				says = append(says, directive[0]+" "+directive[1]+";")
			}
			directive = nil
		default:
			directive = append(directive, t.text)
		}
	}
	if at < 0 {
		return 0, nil, errors.New("the file has no http block")
	}
	return at, says, nil
}
