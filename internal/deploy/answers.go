package deploy

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/compile"
	"young-compass/internal/plan"
)

// Answers lists what the plan answers at each address it knows, one a line: the
// address, the status (0 where the server decides) and the target. On trial
// no status is lasting.
func Answers(g *compile.Program, trial bool) ([]byte, error) {
	var known []string
	for target := range g.Plan.KnownAddresses() {
		known = append(known, target.Address.String())
	}
	slices.Sort(known)
	var b bytes.Buffer
	for _, url := range known {
		r, err := plan.NewRequest("GET", url)
		if err != nil {
			return nil, fmt.Errorf("reading %s: %w", url, err)
		}
		a, err := g.Plan.Answer(r)
		if err != nil {
			return nil, fmt.Errorf("answering %s: %w", url, err)
		}
		if instead, ok := map[int]int{301: 302, 308: 307}[a.Status]; ok && trial {
			a.Status = instead
		}
		fmt.Fprintf(&b, "%s\t%d\t%s\n", url, a.Status, a.To)
	}
	return b.Bytes(), nil
}

// Changed counts the addresses that are answered otherwise than before, of all
// that are known now. Without answers of before it counts those that the plan
// redirects or says to be gone.
func Changed(before, now []byte) (changed, known int) {
	was := map[string]string{}
	for line := range strings.Lines(string(before)) {
		url, answer, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "\t")
		was[url] = answer
	}
	for line := range strings.Lines(string(now)) {
		url, answer, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "\t")
		known++
		old, have := was[url]
		if !have {
			old = "200\t"
			if strings.HasPrefix(answer, "404\t") || strings.HasPrefix(answer, "0\t") {
				old = answer
			}
		}
		if old != answer {
			changed++
		}
	}
	return changed, known
}
