package address

import (
	"net/url"
	"testing"
)

// samples are addresses as an old site has them; normal ones are already in
// normal form.
func samples() (mixed, normal []string) {
	mixed = []string{
		"http://www.skerrywick.example/index.php?sec=route&item=214&lang=de",
		"HTTP://WWW.skerrywick.example:80/Vessels/MV_Skerry_Belle.HTML",
		"https://skerrywick.example/Reisef%c3%bchrer/Seev%c3%b6gel.html?x=%7e",
		"https://skerrywick.example/a/./b/../c/%7Euser",
	}
	normal = []string{
		"https://skerrywick.example/routes/north-isles/skerrywick-to-hildafjord",
		"http://www.skerrywick.example/index.php?sec=route&item=214&lang=de",
		"https://skerrywick.example/Reisef%C3%BChrer/Seev%C3%B6gel.html",
	}
	return mixed, normal
}

func BenchmarkNormal(b *testing.B) {
	mixed, normal := samples()
	for name, list := range map[string][]string{"mixed": mixed, "normal": normal} {
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				for _, s := range list {
					if _, err := Parse(s); err != nil {
						b.Fatal(err)
					}
				}
			}
		})
		b.Run(name+"-net-url", func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				for _, s := range list {
					u, err := url.Parse(s)
					if err != nil {
						b.Fatal(err)
					}
					_ = u.String()
				}
			}
		})
	}
}
