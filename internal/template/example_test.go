package template_test

import (
	"fmt"

	"young-compass/internal/template"
)

func ExampleTemplate_Expand() {
	t, err := template.Parse("/routes{/region*,slug}{?season}")
	if err != nil {
		fmt.Println(err)
		return
	}
	values := template.Values{"region": {"north", "isles"}, "slug": {"skerry-ferry"}, "season": {"winter"}}
	fmt.Println(t.Expand(values))
	// Output: /routes/north/isles/skerry-ferry?season=winter
}

func ExampleReader_ReadPath() {
	t, err := template.Parse("/news/{year}/{slug}.htm")
	if err != nil {
		fmt.Println(err)
		return
	}
	year, _ := template.ParseClass("[0-9]{4}")
	r, err := template.NewReader(t, map[string]template.Class{"year": year})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, path := range []string{"/news/2026/storm.htm", "/news/26/storm.htm"} {
		values, ok := r.ReadPath(path, true)
		fmt.Println(values["slug"], ok)
	}
	// Output:
	// [storm] true
	// [] false
}
