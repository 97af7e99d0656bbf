package resolve_test

import (
	"fmt"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/redirect"
	"young-compass/internal/resolve"
)

func ExampleWalker_Walk() {
	site, err := address.SiteOf("https://skerrywick.example/", nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	list, _, err := redirect.Read("redirects.csv", strings.NewReader("from,to\n/old,/New/\n"), site)
	if err != nil {
		fmt.Println(err)
		return
	}
	speller := address.Speller{Site: site, Paths: address.Paths{Slash: address.SlashNever, Lower: true}}
	var rules *resolve.Rules = redirect.Alone(list, speller).Rules
	w := rules.Walker()
	asked, err := address.Parse("http://www.skerrywick.example/old?utm_source=letter")
	if err != nil {
		fmt.Println(err)
		return
	}
	w.Start("GET", asked)
	if _, err := w.Walk(nil); err != nil {
		fmt.Println(err)
		return
	}
	for i, step := range w.Steps {
		fmt.Println(step.From, w.Causes[i].Rule)
	}
	fmt.Println(w.At, w.Status())
	// Output:
	// http://www.skerrywick.example/old?utm_source=letter redirect from /old to /New/
	// https://skerrywick.example/New/?utm_source=letter no slash at the end
	// https://skerrywick.example/New?utm_source=letter addresses are in small letters
	// https://skerrywick.example/new?utm_source=letter 301
}
