package finding

import (
	_ "embed" // the constants of codes.go are the catalogue
	"strings"
)

//go:embed codes.go
var codes string

// Description is what the catalogue says of a code.
type Description struct {
	Code     Code
	Severity Severity // as a rule; a command may say a milder one
	What     string   // what was found, in a sentence
	Why      string   // why it matters, in a sentence
	Mend     string   // what to do, in a sentence
	Example  []string // lines that show it
	Part     string   // the part of the catalogue where it stands
}

// Catalogue returns all codes, in the order in which codes.go declares them, with what their comments say.
func Catalogue() []Description {
	var list []Description
	var d Description
	last := new(string) // where the lines of a sentence go on
	part := ""
	for line := range strings.Lines(codes) {
		line = strings.TrimSuffix(line, "\n")
		text, comment := strings.CutPrefix(line, "\t// ")
		example, shown := strings.CutPrefix(line, "\t//\t")
		switch {
		case strings.HasPrefix(line, "// ") && !strings.HasPrefix(line, "// Code names"):
			part = strings.TrimSuffix(line[len("// "):], ".")
		case shown:
			d.Example = append(d.Example, example)
		case comment && strings.HasPrefix(text, "Why: "):
			d.Why, last = text[len("Why: "):], &d.Why
		case comment && strings.HasPrefix(text, "Mend: "):
			d.Mend, last = text[len("Mend: "):], &d.Mend
		case comment && strings.HasPrefix(text, "Severity: "):
			d.Severity = Severity(strings.Trim(text[len("Severity: "):], "."))
		case comment && d.What == "":
			_, d.What, _ = strings.Cut(text, ": ")
			last = &d.What
		case comment:
			*last += " " + text
		case strings.Contains(line, " Code = "):
			_, code, _ := strings.Cut(line, `"`)
			d.Code, d.Part = Code(strings.TrimSuffix(code, `"`)), part
			d.What, d.Why, d.Mend = sentence(d.What), sentence(d.Why), sentence(d.Mend)
			list = append(list, d)
			d = Description{}
		}
	}
	return list
}

// sentence begins a text with a capital letter.
func sentence(text string) string { return strings.ToUpper(text[:1]) + text[1:] }
