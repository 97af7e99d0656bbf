package propose

import (
	"fmt"
	"strings"

	"young-compass/internal/planfile"
)

// Into says in a plan that exists what it doesn't say yet; the rest of its text stays. Doubtful lines are left out. It
// returns the lines that were added. Errors are those of planfile.Read.
func (d Draft) Into(file string, data []byte) (next []byte, added []Line, err error) {
	next = data
	for _, l := range d.Lines {
		if !l.Sure() || l.Key == "site.origin" {
			continue
		}
		key := strings.SplitN(l.Key, ".", 3)
		for i := range key {
			key[i] = strings.Trim(key[i], `"`)
		}
		text, ok, err := planfile.Add(file, next, planfile.Addition{Key: key, Value: l.Value, Item: l.Item})
		if err != nil {
			return data, nil, err
		}
		if !ok {
			continue
		}
		if _, err := planfile.Read(file, text); err != nil {
			continue // it would contradict what the plan says: a person's word counts
		}
		next, added = text, append(added, l)
	}
	if _, err := planfile.Read(file, next); err != nil {
		return data, nil, fmt.Errorf("adding to the plan: %w", err)
	}
	return next, added, nil
}
