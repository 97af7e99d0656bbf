package plan_test

import (
	"fmt"
	"strings"

	"young-compass/internal/book"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/redirect"
)

func ExamplePlan_Answer() {
	settings, err := planfile.Read("young-compass.yaml", []byte("site: {origin: https://skerrywick.example}\n"))
	if err != nil {
		fmt.Println(err)
		return
	}
	pages, _, _ := inventory.Read("pages.csv", strings.NewReader("key,language,title,state\nroutes,en,Routes,live\n"),
		"en")
	entries, _, _ := book.Read("addresses.csv", strings.NewReader("address,page,state\n"+
		"https://skerrywick.example/routes,routes@en,current\nhttp://skerrywick.example/Routes.php,routes@en,former\n"))
	p := plan.New(settings, pages, entries, redirect.NewList(settings.Site))
	for _, url := range []string{"https://skerrywick.example/routes",
		"http://skerrywick.example/routes.php?utm_source=a"} {
		r, err := plan.NewRequest("GET", url)
		if err != nil {
			fmt.Println(err)
			return
		}
		a, err := p.Answer(r)
		fmt.Println(a.Outcome, a.Status, a.To, a.Causes[0].Rule, err)
	}
	// Output:
	// served 200  the page routes@en is live <nil>
	// redirect 301 https://skerrywick.example/routes?utm_source=a was the address of routes@en <nil>
}
