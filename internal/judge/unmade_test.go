package judge_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/project"
)

// A page that moves must be made at its new address: by a rule of the plan, or by the script in front; else it is told.
func TestPagesThatNothingMakes(t *testing.T) {
	const site = "site: {origin: \"https://skerrywick.example\", hosts: [www.skerrywick.example]}\nkinds: {page: {address: \"/{slug}\"}}\n"
	const moved = "http://www.skerrywick.example/page.php?id=1"
	for name, c := range map[string]struct {
		plan, former string
		told         bool
	}{
		"nothing makes it":            {site, moved, true},
		"a rule makes it":             {site + "rules: [{from: \"/{x}\", serve: \"/page.php?slug={x}\"}]\n", moved, false},
		"the front controller does":   {site + "front-controller: {to: /index.php}\n", moved, false},
		"only host and scheme change": {site, "http://www.skerrywick.example/fares", false},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			for file, content := range map[string]string{
				project.PlanFile:      c.plan,
				project.PagesFile:     "key,language,kind,title,state\nfares,en,page,Fares,live\n",
				project.AddressesFile: "address,page,state,since\nhttps://skerrywick.example/fares,fares@en,current,2026-11-01\n" + c.former + ",fares@en,former,2026-11-01\n",
			} {
				require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(content), 0o644))
			}
			p, found, err := project.Load(dir)
			require.NoError(t, err)
			require.Empty(t, found)
			told := judge.Unmade(p)
			require.Equal(t, c.told, len(told) == 1)
			if c.told {
				assert.Equal(t, finding.UnmadePages, told[0].Code)
				assert.Equal(t, []string{"/fares, which was /page.php?id=1"}, told[0].Evidence)
			}
		})
	}
}
