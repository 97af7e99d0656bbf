package pair

import "strings"

// edited is how a site changes that is edited rather than written anew: names of files, and the forms of titles, stay.
type edited struct {
	*maker
	books     bool // titles begin with the section's, and a colon
	changed   int  // titles, of a thousand
	kept      bool // last segments stay, whatever the title becomes
	strays    int  // pages that move to another section, of a hundred
	elsewhere bool // variants are in other folders
	stays     bool // most addresses stay, and the list has few of those: it is what wasn't found any more
	files     map[string]bool
}

// file returns a name that no other file of a folder has, or had.
func (e *edited) file(folder, name string) string {
	dot := strings.LastIndexByte(name, '.')
	word, extension := name[:dot], name[dot+1:]
	for e.files[folder+"/"+word] {
		word = word + "-" + e.word()
	}
	e.files[folder+"/"+word] = true
	return word + "." + extension
}

// makeEdited makes up a site that was edited.
func makeEdited(n int, seed uint64) made { return shelfOf(n, seed, true) }

// edit makes the new site an edited version of the old one.
func (s *shelf) edit(n int, r *maker) {
	e := &edited{maker: r, files: map[string]bool{}, books: r.chance(15), kept: r.chance(60), elsewhere: r.chance(30),
		stays: n >= 40 && r.chance(40), strays: r.IntN(20), changed: []int{0, 2, 5, 10, 20, 50, 100, 300}[r.IntN(8)]}
	s.edited = e
	s.suffixes[1], s.numbered[1], s.cut[1] = s.suffixes[0], s.numbered[0], s.cut[0]
	if e.kept || e.stays {
		s.style[1], s.tail[1] = s.style[0], s.tail[0]
	}
	for i := range s.sections {
		if sec := &s.sections[i]; e.stays && r.chance(70) {
			sec.names[1] = sec.names[0]
		}
	}
}
