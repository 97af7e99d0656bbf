package project_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
)

// mapped returns a plan with these redirects.
func mapped(t *testing.T, redirects string) *plan.Plan {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, project.PlanFile),
		[]byte("site: {origin: https://skerrywick.example}\n"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, project.RedirectsFile), []byte(redirects), 0o600))
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	return p
}

func TestTake(t *testing.T) {
	for name, test := range map[string]struct {
		have, more, want string
		changed          int
	}{
		"a row": {"from,to,status\n/b,/x,301\n", "from,to,status\n/a,/x,301\n",
			"from,to,status\n/a,/x,301\n/b,/x,301\n", 1},
		"the first row": {"from,to\n", "from,to\n/a,/x\n", "from,to,status\n/a,/x,\n", 1},
		"what is there": {"from,to,status\n/a,/x,301\n", "from,to,status\n/a,/x,301\n", "from,to,status\n/a,/x,301\n", 0},
		"a row that it leads on": {"from,to,status\n/b,/c,301\n", "from,to,status\n/a,/b,301\n",
			"from,to,status\n/a,/c,301\n/b,/c,301\n", 1},
		"a row that leads on": {"from,to,status\n/a,/b,301\n", "from,to,status\n/b,/c,301\n",
			"from,to,status\n/a,/c,301\n/b,/c,301\n", 2},
		"with a reason, as the only one": {"from,to,status\n/b,/x,301\n/c,/x,301\n",
			"from,to,status,reason\n/a,/x,301,moved\n",
			"from,to,status,reason\n/a,/x,301,moved\n/b,/x,301,\n/c,/x,301,\n", 1},
	} {
		t.Run(name, func(t *testing.T) {
			p := mapped(t, test.have)
			more := redirect.NewList(p.Site)
			_, err := more.Read("more.csv", strings.NewReader(test.more))
			require.NoError(t, err)
			taken, found, err := project.Take(p, more, nil)
			require.NoError(t, err)
			require.Empty(t, found)
			assert.Equal(t, test.want, string(taken.Data))
			assert.Equal(t, test.changed, taken.Changed)
		})
	}
}

func TestTakeRefuses(t *testing.T) {
	for name, test := range map[string]struct {
		more string
		code finding.Code
	}{
		"a circle":        {"/b,/a,301", finding.Loop},
		"a contradiction": {"/a,/c,301", finding.Conflict},
	} {
		t.Run(name, func(t *testing.T) {
			p := mapped(t, "from,to,status\n/a,/b,301\n")
			more := redirect.NewList(p.Site)
			_, err := more.Read("more.csv", strings.NewReader("from,to,status\n"+test.more+"\n"))
			require.NoError(t, err)
			_, found, err := project.Take(p, more, nil)
			require.NoError(t, err)
			require.NotEmpty(t, found)
			assert.Equal(t, test.code, found[0].Code)
		})
	}
}
