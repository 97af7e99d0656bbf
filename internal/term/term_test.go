package term

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
)

func TestTable(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, Table(&b, Style{}, []string{"a", "long name"}, [][]string{{"x\x1b[31m", "1"}, {"ø", "22"}}))
	assert.Equal(t, "a          long name\n--------------------\nx\\x1b[31m          1\nø                 22\n",
		b.String())
}

func TestFindings(t *testing.T) {
	list := []finding.Finding{{Code: "loop", Severity: finding.Error, Where: finding.Place{File: "a\x1b", Line: 2},
		What: "round\u202e", Why: "why", Advice: "do", Evidence: []string{"/x"}}}
	var b bytes.Buffer
	require.NoError(t, Findings(&b, Style{}, list, false))
	assert.Equal(t, "a\\x1b:2: error loop: round\\u202e\n    /x\n    why\n    => do\n", b.String())
	b.Reset()
	require.NoError(t, Findings(&b, Style{Colour: true}, list, false))
	assert.Contains(t, b.String(), "\x1b[1;31merror\x1b[0m")
}

func TestProgressIsSilentElsewhere(t *testing.T) {
	var b bytes.Buffer
	p := NewProgress(&b, "asking", 2, Plain)
	p.Add(1)
	p.Add(1)
	p.Done()
	assert.Empty(t, b.String())
	assert.False(t, IsTerminal(&b))
}

func TestProgressSaysRateAndTimeLeft(t *testing.T) {
	p := NewProgress(&bytes.Buffer{}, "access.log", 10<<20, Bytes)
	p.Add(4 << 20)
	assert.Equal(t, "access.log [============                  ] 4.0 MiB of 10.0 MiB, 2.0 MiB/s, 3s left",
		p.line(2*time.Second))
	p = NewProgress(&bytes.Buffer{}, "a\x1b", 0, Plain)
	p.Add(7)
	assert.Equal(t, "a\\x1b: 7, 3/s", p.line(2*time.Second))
	assert.Equal(t, "1023 B", Bytes(1023))
}
