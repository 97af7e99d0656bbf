package propose

import (
	"young-compass/internal/parameter"
	"young-compass/internal/slug"
)

// Survey finds the site's hosts, languages and parameters: what gathering needs to know.
func Survey(e Evidence) Draft {
	var d draft
	d.survey(&e)
	return Draft{Lines: ordered(d.lines)}
}

// survey finds what addresses alone tell.
func (d *draft) survey(e *Evidence) (*survey, parameter.List) {
	s := &survey{e: e, guesses: newGuesser(), tags: tagger{}}
	s.hosts = d.findHosts(e, s)
	d.findLanguages(s)
	return s, d.findParameters(s)
}

// Of finds what Survey does, and besides kinds, files and patterns. The kinds that the plan has already are named:
// their
// pages are told of their kind, and else left alone.
func Of(e Evidence, taken ...string) Draft {
	var d draft
	s, classes := d.survey(&e)
	k := &kinds{draft: &d, e: &e, s: s, classes: classes, taken: map[string]bool{}, slugs: slug.NewMaker(slug.Settings{})}
	for _, name := range taken {
		k.taken[name] = true
	}
	k.find()
	d.findPaths(k)
	d.findFiles(&e, s)
	k.write()
	d.findRules(k)
	d.add("slugs.collide", "number", "", nil, "pages of one kind and one title get -2, -3; without it they are a finding")
	return Draft{Lines: ordered(d.lines), Fill: k.sortedFill()}
}
