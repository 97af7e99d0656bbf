package haproxy

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/block"
	"young-compass/internal/server"
)

// Lines go behind the frontend's own lines for the content of requests, and before those for requests. W and A stand
// for them.
func TestLinesGoBetweenTheFrontendsOwn(t *testing.T) {
	files := []server.File{{Name: FrontendFile, Data: []byte("W\n" + answerNote + "\nA\n")}}
	other := block.Marked("haproxy", "other.example", "#\ntcp-request content accept if { always_true }\n", "\n")
	replies := block.Marked("haproxy", "other.example", "http-request deny\n", "\n")
	end := "backend b\n\ttcp-request content accept\n"
	for text, want := range map[string]string{
		"frontend f\n\tbind :80\n":                                                "frontend f\nWA\tbind :80\n",
		"frontend f\n\thttp-request deny\n\tbind :80\n":                           "frontend f\nWA\thttp-request deny\n\tbind :80\n",
		"frontend f\n\ttcp-request connection accept\n":                           "frontend f\nWA\ttcp-request connection accept\n",
		"frontend f\n\ttcp-request content reject if x\n\tbind :80\n":             "frontend f\n\ttcp-request content reject if x\nWA\tbind :80\n",
		"frontend f\n\ttcp-request inspect-delay 1s\n\tacl a\n\thttp-request b\n": "frontend f\n\ttcp-request inspect-delay 1s\nW\tacl a\nA\thttp-request b\n",
		"frontend f\n" + other + replies + "\tbind :80\n":                         "frontend f\n" + other + "WA" + replies + "\tbind :80\n",
		"global\n":                 "the file has no frontend; name the one that does",
		"frontend a\nfrontend b\n": "the file has several frontends; put the lines into the site's own by hand",
		"frontend f\n\tacl x\n\ttcp-request content accept\n": `line 3: "tcp-request content accept" lets requests past ` +
			`the lines of the plan; take it out, or put them in by hand`,
		"defaults\n\ttcp-request content accept if x\nfrontend f\n": `line 2: "tcp-request content accept" lets requests ` +
			`past the lines of the plan; take it out, or put them in by hand`,
		"frontend f\n.if x\n\ttcp-request content reject\n.endif\n": "line 3 stands under a condition, and the lines of " +
			"the plan belong behind it; put them in by hand",
		"frontend f\n\thttp-request deny\n\ttcp-request content reject\n": `line 3: HAProxy reads "tcp-request" before the ` +
			`"http-request" of line 2; put it above that, since the lines of the plan belong between the two`,
	} {
		list, err := Target{}.Insert(server.Into{Text: text + end, Files: files})
		if err != nil {
			assert.EqualError(t, err, want, text)
			continue
		}
		got, at := "", 0
		for i, x := range list {
			got += text[at:x.At] + strings.Split("WA", "")[i]
			at = x.At
		}
		assert.Equal(t, want, got+text[at:], text)
	}
}
