package term

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadKeys(t *testing.T) {
	for text, want := range map[string]string{
		"a\r":                        "a enter",
		"\x1b[A\x1b[B\x1bOC\x1b[D":   "up down right left",
		"ø/\x7f\b\x03":               "ø / backspace backspace ctrl+c",
		"\x1b[1;5A\x1b[3~x\x00\x01y": "x y",
		"q\x1b":                      "q",
	} {
		t.Run(text, func(t *testing.T) {
			keys, done := make(chan string), make(chan struct{})
			go readKeys(strings.NewReader(text), keys, done)
			var got []string
			for key := range keys {
				got = append(got, key)
			}
			assert.Equal(t, want, strings.Join(got, " "), "%q", text)
		})
	}
}

func TestDraw(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, draw(&out, "one\ntwo"))
	assert.Equal(t, "\x1b[H\x1b[Kone\r\n\x1b[Ktwo", out.String())
}
