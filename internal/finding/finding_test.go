package finding

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSortWorstFirst(t *testing.T) {
	list := []Finding{
		{Code: "c", Severity: Note, Where: Place{File: "a", Line: 1}},
		{Code: "b", Severity: Error, Where: Place{File: "a", Line: 9}},
		{Code: "a", Severity: Error, Where: Place{File: "a", Line: 2}},
		{Code: "w", Severity: Warning, Where: Place{URL: "x"}},
	}
	Sort(list)
	var codes string
	for _, f := range list {
		codes += string(f.Code)
	}
	assert.Equal(t, "abwc", codes)
	assert.Equal(t, map[string]int{"a": 1, "b": 1, "c": 1, "w": 1}, Count(list))
}

func TestWorst(t *testing.T) {
	list := []Finding{{Severity: Warning}}
	for limit, want := range map[string]bool{"error": false, "warning": true, "note": true, "never": false} {
		t.Run(limit, func(t *testing.T) {
			s, err := ParseSeverity(limit)
			require.NoError(t, err)
			assert.Equal(t, want, Worst(list, s), limit)
		})
	}
	_, err := ParseSeverity("bad\x1b")
	assert.EqualError(t, err, `bad\x1b is not a severity; say error, warning, note or never`)
}

func TestString(t *testing.T) {
	f := Finding{Code: "loop", Severity: Error, Where: Place{File: "r.csv", Line: 3, Column: 7}, What: "round\x1b[2J",
		Advice: "mend it"}
	assert.Equal(t, `r.csv:3:7: error loop: round\x1b[2J; mend it`, f.String())
	assert.Equal(t, "https://a.example/", Place{URL: "https://a.example/"}.String())
	data, err := json.Marshal(f)
	require.NoError(t, err)
	assert.JSONEq(t, `{"code":"loop","severity":"error","where":{"file":"r.csv","line":3,"column":7},"what":"round\u001b[2J","advice":"mend it"}`, string(data))
}
