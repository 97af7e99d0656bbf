package pair

import (
	"strings"
)

// grid names what a reference describes, as programs name functions: a few classes, verbs and nouns in all
// combinations, so that one differs from its siblings by a word, and hardly any is ever called otherwise.
type grid struct {
	*maker
	classes, verbs, nouns []string
	style                 int
	changed               int                  // names, of a thousand
	parts                 map[string][3]string // of each name
}

// refer makes some sections those of a reference.
func (s *shelf) refer(n int, r *maker) {
	if !r.chance(25) {
		return
	}
	changed := []int{0, 2, 5, 20, 50, 200}[r.IntN(6)]
	for i := range s.sections {
		if r.chance(70) {
			s.sections[i].grid = &grid{maker: r, classes: r.text(1 + r.IntN(8)), verbs: r.text(3 + r.IntN(8)),
				nouns: r.text(10 + r.IntN(10+n/3)), style: r.IntN(5), changed: changed, parts: map[string][3]string{}}
		}
	}
}

func (g *grid) name() []string {
	return g.join([3]string{g.one(g.classes...), g.one(g.verbs...), g.one(g.nouns...)})
}

// rename returns a title with another verb or noun; the section's own title may stand in front of it.
func (g *grid) rename(title []string) []string {
	parts := g.parts[strings.Join(title, " ")]
	if parts[2] == "" {
		return title
	}
	parts[1+g.IntN(2)] = makeWords(g.Rand, 1)[0]
	return g.join(parts)
}

func (g *grid) join(parts [3]string) []string {
	class, verb, noun := parts[0], parts[1], parts[2]
	upper := func(word string) string { return strings.ToUpper(word[:1]) + word[1:] }
	name := verb + upper(noun)
	switch g.style {
	case 0:
		name = upper(class) + "." + upper(verb) + upper(noun)
	case 1:
		name = class + "_" + verb + "_" + noun
	case 2:
		name = strings.ToUpper(verb + "_" + noun)
	case 3:
		name = verb + " " + noun
	}
	g.parts[name] = parts
	return strings.Fields(name)
}
