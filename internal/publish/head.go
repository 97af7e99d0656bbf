package publish

import (
	"bytes"
	"encoding/json"
	"fmt"
	"html"
	"iter"
	"net/url"
	"strings"

	"young-compass/internal/table"
)

// HTML returns the lines that belong into the head of the page.
//
//	<link rel="canonical" href="https://skerrywick.example/ports/kvitsund">
//	<link rel="alternate" hreflang="de" href="https://skerrywick.example/de/haefen/kvitsund">
func (p *Page) HTML() string {
	var b strings.Builder
	fmt.Fprintf(&b, "<link rel=\"canonical\" href=\"%s\">\n", html.EscapeString(p.Canonical))
	for _, a := range p.Alternates {
		fmt.Fprintf(&b, "<link rel=\"alternate\" hreflang=\"%s\" href=\"%s\">\n", html.EscapeString(a.Language),
			html.EscapeString(a.Location))
	}
	return b.String()
}

// Link returns the same as the value of a header Link (RFC 8288).
func (p *Page) Link() string {
	list := []string{fmt.Sprintf(`<%s>; rel="canonical"`, p.Canonical)}
	for _, a := range p.Alternates {
		list = append(list, fmt.Sprintf(`<%s>; rel="alternate"; hreflang="%s"`, a.Location, a.Language))
	}
	return strings.Join(list, ", ")
}

// headJSON is what a page says as JSON, for a template.
type headJSON struct {
	Page       string          `json:"page"`
	Address    string          `json:"address"`
	Canonical  string          `json:"canonical"`
	Alternates []alternateJSON `json:"alternates"`
}

type alternateJSON struct {
	Language string `json:"hreflang"`
	Location string `json:"href"`
}

// MarshalJSON writes what the page says.
func (p *Page) MarshalJSON() ([]byte, error) {
	h := headJSON{p.Ref.String(), p.Address.String(), p.Canonical, []alternateJSON{}}
	for _, a := range p.Alternates {
		h.Alternates = append(h.Alternates, alternateJSON(a))
	}
	return json.Marshal(h)
}

// HeadForm is how heads are written.
type HeadForm string

// The forms of heads.
const (
	HeadHTML HeadForm = "html" // a file for each page
	HeadCSV  HeadForm = "csv"
	HeadJSON HeadForm = "json"
)

// HeadForms returns all forms.
func HeadForms() []HeadForm { return []HeadForm{HeadHTML, HeadCSV, HeadJSON} }

// Heads writes what the heads of pages are to hold, and returns how many links that are. Errors are those of write.
func Heads(pages []Page, form HeadForm, write func(name string, data []byte) error) (links int, err error) {
	for i := range pages {
		links += 1 + len(pages[i].Alternates)
	}
	switch form {
	case HeadHTML:
		for i := range pages {
			if err := write(pages[i].fileName(), []byte(pages[i].HTML())); err != nil {
				return 0, err
			}
		}
		return links, nil
	case HeadCSV:
		return links, write("head.csv", table.EncodeRecords([]string{"page", "address", "rel", "hreflang", "href"}, rows(pages)))
	}
	var b bytes.Buffer
	for i := range pages {
		line, err := json.Marshal(&pages[i])
		if err != nil {
			return 0, fmt.Errorf("writing the head of %s: %w", pages[i].Ref, err)
		}
		b.WriteString(map[bool]string{true: "[\n", false: ",\n"}[i == 0])
		b.Write(line)
	}
	if len(pages) == 0 {
		b.WriteByte('[')
	}
	b.WriteString("\n]\n")
	return links, write("head.json", b.Bytes())
}

// rows yields the lines of all heads as rows of a table.
func rows(pages []Page) iter.Seq[[]string] {
	return func(yield func([]string) bool) {
		for i := range pages {
			p := &pages[i]
			if !yield([]string{p.Ref.String(), p.Address.String(), "canonical", "", p.Canonical}) {
				return
			}
			for _, a := range p.Alternates {
				if !yield([]string{p.Ref.String(), p.Address.String(), "alternate", a.Language, a.Location}) {
					return
				}
			}
		}
	}
}

// fileName is the name of a file for the page that no other page has.
//
//	port-kvitsund.de.html    port%2Fkvitsund.de.html
func (p *Page) fileName() string {
	name := strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|%`, r) {
			return '/'
		}
		return r
	}, p.Key+"."+p.Language)
	if strings.HasPrefix(name, ".") || strings.Contains(name, "/") {
		name = url.PathEscape(p.Key) + "." + url.PathEscape(p.Language)
	}
	return name + ".html"
}
