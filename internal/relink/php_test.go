package relink_test

import (
	"encoding/base64"
	"math/rand/v2"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/relink"
)

// PHP itself reads every serialised value that was written, and finds the same links in it as before, led on.
func TestPHPReadsWhatIsWritten(t *testing.T) {
	l := relink.New(ferries(t), relink.AsWritten)
	page := at(t, l, "https://skerrywick.example/ports")
	n := 5_000
	if testing.Short() {
		n /= 10
	}
	var input strings.Builder
	changed := 0
	for i := range n {
		b := baker{rand.New(rand.NewPCG(88, uint64(i)))}
		value := b.value(0)
		got, _ := l.Relink([]byte(value[0]), relink.PHP, page)
		if value[0] != string(got) {
			changed++
		}
		input.WriteString(base64.StdEncoding.EncodeToString(got) + "\n")
	}
	require.Greater(t, changed, n/2)
	php := exec.Command("php", "-n", "-r", `
		function fine($v) { // strings in it may be serialised too
			if (is_string($v)) {
				if (preg_match('/^[saO]:\d+:.*[;}]$/s', $v) && @unserialize($v) === false) return false;
				return true;
			}
			if (!is_array($v) && !is_object($v)) return true;
			foreach ((array)$v as $w) if (!fine($w)) return false;
			return true;
		}
		while (($line = fgets(STDIN)) !== false) {
			$v = @unserialize(base64_decode($line));
			echo $v !== false && fine($v) ? "fine\n" : "broken: " . base64_decode($line) . "\n";
		}`)
	php.Stdin = strings.NewReader(input.String())
	var trouble strings.Builder
	php.Stderr = &trouble
	out, err := php.Output()
	require.NoError(t, err, "php-cli is needed: ./test.sh installs it\n%s%s", out, trouble.String())
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	require.Len(t, lines, n)
	for _, line := range lines {
		assert.Equal(t, "fine", line)
	}
}
