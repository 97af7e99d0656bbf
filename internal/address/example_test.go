package address_test

import (
	"fmt"

	"young-compass/internal/address"
)

func ExampleParse() {
	a, err := address.Parse("HTTP://WWW.Skerrywick.example:80/a/../Caf%c3%a9?x=1#top")
	fmt.Println(a, err)
	// Output: http://www.skerrywick.example/Caf%C3%A9?x=1#top <nil>
}

func ExampleSpeller() {
	s := address.Speller{
		Paths:  address.Paths{Slash: address.SlashNever, Lower: true, NoExtension: true, Index: []string{"index.html"}},
		Prefix: "en",
	}
	for _, path := range []string{"/EN//Routes/", "/routes/index.html", "/ports/kvitsund.php"} {
		fmt.Println(path, s.Spelling(path), s.SiteForm(path))
	}
	// Output:
	// /EN//Routes/ /routes /routes
	// /routes/index.html /routes/index.html /routes
	// /ports/kvitsund.php /ports/kvitsund.php /ports/kvitsund
}
