package figure

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"
)

// Style is the sheet by which a figure has its colours, on light and on dark ground.
const Style = `svg{font:13px system-ui,sans-serif}
svg .text{fill:#1b2733}svg .quiet{fill:#52616f}svg .empty{fill:#dde3e9}
svg .good{fill:#1f7a4d}svg .bad{fill:#b3261e}svg .first{fill:#2563a8}svg .other{fill:#8a5a00}
svg .band{fill-opacity:.38}svg .band:hover{fill-opacity:.7}svg .bold{font-weight:600}
@media (prefers-color-scheme:dark){
svg .text{fill:#e6ebf0}svg .quiet{fill:#a5b3c0}svg .empty{fill:#33414e}
svg .good{fill:#5cc08d}svg .bad{fill:#f28b82}svg .first{fill:#7db3ee}svg .other{fill:#e0b050}}
`

// SVG writes the figure as an element of a page that has Style.
func (f Figure) SVG(w io.Writer) error { return f.svg(w, "") }

// File writes the figure as an SVG file of its own.
func (f Figure) File(w io.Writer) error {
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	const ground = "svg{background:#fff}@media (prefers-color-scheme:dark){svg{background:#14191f}}"
	return f.svg(w, "<style>"+Style+ground+"</style>\n")
}

func (f Figure) svg(w io.Writer, style string) error {
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %s %s" width="%[1]s" height="%[2]s" role="img" `+
		`aria-labelledby="%[3]s-title %[3]s-about">`+"\n", number(f.Width), number(f.Height), escaped(f.Name))
	b.WriteString(style)
	fmt.Fprintf(&b, "<title id=\"%[1]s-title\">%[2]s</title><desc id=\"%[1]s-about\">%[3]s</desc>\n", escaped(f.Name),
		escaped(f.Title), escaped(f.About))
	for _, s := range f.Shapes {
		switch s := s.(type) {
		case Rectangle:
			fmt.Fprintf(&b, "<rect class=\"%s\" x=\"%s\" y=\"%s\" width=\"%s\" height=\"%s\"/>\n", s.Ink, number(s.At.X),
				number(s.At.Y), number(s.Width), number(s.Height))
		case Band:
			middle := number((s.From.X + s.To.X) / 2)
			fmt.Fprintf(&b, `<path class="band %s" d="M%s %sC%[4]s %[3]s %[4]s %[6]s %[5]s %[6]s`+
				`V%[7]sC%[4]s %[7]s %[4]s %[8]s %[2]s %[8]sZ">`+"<title>%[9]s</title></path>\n", s.Ink, number(s.From.X), number(s.From.Y), middle, number(s.To.X),
				number(s.To.Y), number(s.To.Y+s.ToHeight), number(s.From.Y+s.FromHeight), escaped(s.About))
		case Label:
			class, anchor := string(s.Ink), ""
			if s.Bold {
				class += " bold"
			}
			if s.End {
				anchor = ` text-anchor="end"`
			}
			fmt.Fprintf(&b, "<text class=\"%s\" x=\"%s\" y=\"%s\"%s>%s</text>\n", class, number(s.At.X), number(s.At.Y), anchor,
				escaped(s.Text))
		}
	}
	b.WriteString("</svg>\n")
	_, err := io.WriteString(w, b.String())
	return err
}

// number writes a length with a tenth of a pixel.
func number(x float64) string {
	return strings.TrimSuffix(fmt.Sprintf("%.1f", x), ".0")
}

func escaped(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s)) // a strings.Builder takes everything
	return b.String()
}
