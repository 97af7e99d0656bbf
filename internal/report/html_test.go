package report

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatIsCopied(t *testing.T) {
	for advice, want := range map[string]mend{
		"name where that leads: https://skerrywick.example/de/kontakt": {"name where that leads: ",
			"https://skerrywick.example/de/kontakt", ""},
		`ask for <link rel="canonical" href="https://skerrywick.example/x"> there, or for its removal`: {"ask for ",
			`<link rel="canonical" href="https://skerrywick.example/x">`, " there, or for its removal"},
		"write https://skerrywick.example/a; or delete it": {"write ", "https://skerrywick.example/a", "; or delete it"},
		"young-compass steps tell setting":                 {"", "young-compass steps tell setting", ""},
		"delete the row":                                   {"delete the row", "", ""},
		"":                                                 {},
	} {
		assert.Equal(t, want, mendOf(advice), advice)
	}
}
