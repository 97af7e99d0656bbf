package redirect_test

import (
	"fmt"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/redirect"
)

func ExampleFlatten() {
	site, err := address.SiteOf("https://skerrywick.example/", nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	list, _, err := redirect.Read("old.csv", strings.NewReader("from,to,status\n/a,/b,301\n/b,/c,302\n"), site)
	if err != nil {
		fmt.Println(err)
		return
	}
	world := redirect.Alone(list, address.Speller{Site: site})
	for _, f := range redirect.Check(list, world) {
		fmt.Println(f.Code, f.What)
	}
	flat, _ := redirect.Flatten(list, world, redirect.Straight)
	fmt.Print(string(flat.Encode()))
	// Output:
	// chain /a leads to /b, which line 3 redirects again
	// wrong-status the way from /a is permanent in one hop and temporary in another
	// from,to,status
	// /a,/c,302
	// /b,/c,302
}
