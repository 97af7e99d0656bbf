// Package route finds what a request meets: the entries for its address, by an index, and the patterns that read it,
// by an automaton.
package route

import (
	"cmp"
	"fmt"
	"hash/maphash"
	"math/bits"
	"runtime"
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
)

// Source is where a redirect, or an address of the book, starts.
type Source struct {
	Host  string // empty: every host of the site
	Path  string // in normal form
	Query string
}

// SourceOf returns the source that an address is.
func SourceOf(a address.Address) Source { return Source{Host: a.Host, Path: a.Path, Query: a.Query} }

// ReadSource reads where a redirect starts: a path, which stands for itself on
// all the site's hosts, or an address on one of them.
func ReadSource(s string, site address.Site) (Source, error) {
	a, err := address.Resolve(site.Origin, s)
	if err != nil {
		return Source{}, err
	}
	if a.Fragment != "" {
		return Source{}, fmt.Errorf("%s has a fragment, which no request carries", address.Printable(s))
	}
	if address.Unsafe(a.Path) {
		return Source{}, fmt.Errorf("%s has an encoded slash, backslash or control character, which no rule matches",
			address.Printable(s))
	}
	source := SourceOf(a)
	if s[0] == '/' {
		source.Host = ""
	} else if !site.Has(a.Host) {
		return Source{}, fmt.Errorf("%s is not on one of the site's hosts", address.Printable(s))
	}
	return source, nil
}

// String returns the source as a path, or as //host/path where it names a host.
func (s Source) String() string {
	text := s.Path
	if s.Query != "" {
		text += "?" + s.Query
	}
	if s.Host != "" {
		return "//" + s.Host + text
	}
	return text
}

// On returns the address that a source is on its host, or else on that of another address.
func (s Source) On(a address.Address) address.Address {
	a.Host, a.Path, a.Query = cmp.Or(s.Host, a.Host), s.Path, s.Query
	return a
}

// Names returns the parameters that the source names.
func (s Source) Names() []string {
	var names []string
	for _, p := range address.SplitQuery(s.Query) {
		if p.Raw != "" && !slices.Contains(names, p.Name) {
			names = append(names, p.Name)
		}
	}
	return names
}

// Signature returns the parameters that the source names as Signature does.
func (s Source) Signature() string {
	if s.Query == "" {
		return ""
	}
	names := s.Names()
	slices.Sort(names)
	return Signature(Carried(address.SplitQuery(s.Query), names))
}

// Index finds the sources that a request meets. Sources are known by the number
// in which they were added, from 0. It keeps numbers alone, so that millions
// find room, and asks for the source that has one.
type Index struct {
	Site address.Site
	Fold bool // letters don't count

	source func(number int) Source
	seed   maphash.Seed
	halves [2]half             // by the highest bit of a hash
	next   []int32             // by number: the next one with the same host, key and parameters, or -1
	last   []int32             // by number: the last one of those, if this is the first; else -1
	hosts  []string            // that sources name, in the order they came
	names  map[string][]string // by key: parameters that any source of the path names, sorted
}

// half is a table of those sources that are the first with their host, key and
// parameters.
type half struct {
	slots []uint64 // a hash, and behind it a number+1
	used  int
}

// NewIndex returns an empty index; source returns the source that was added
// under a number.
func NewIndex(site address.Site, fold bool, source func(number int) Source) *Index {
	return &Index{Site: site, Fold: fold, source: source, seed: maphash.MakeSeed(), names: map[string][]string{}}
}

// Key returns what a path in normal form is looked up by: repeated slashes
// and, with Fold, letters don't count, nor does how a byte is written.
func (x *Index) Key(path string) string { return address.Key(path, x.Fold) }

// hash returns a number that is equal for sources with the same host, key and
// parameters.
func (x *Index) hash(host, key, signature string) uint32 {
	h := maphash.String(x.seed, key)
	if host != "" {
		h ^= bits.RotateLeft64(maphash.String(x.seed, host), 17)
	}
	if signature != "" {
		h ^= bits.RotateLeft64(maphash.String(x.seed, signature), 41)
	}
	return uint32(h >> 32)
}

func (x *Index) hashOf(s Source) uint32 { return x.hash(s.Host, x.Key(s.Path), s.Signature()) }

// Add enters the next source.
func (x *Index) Add(s Source) {
	x.note(s)
	x.Skip()
	x.insert(s, x.hashOf(s), int32(len(x.next)-1))
}

// Skip counts a number that no request meets.
func (x *Index) Skip() {
	x.next, x.last = append(x.next, -1), append(x.last, -1)
}

// Fill enters the sources with the numbers from 0 to n-1 into an empty index, side by side. Those that skip names
// keep their numbers, but no request meets them.
func (x *Index) Fill(n int, skip func(number int) bool) {
	hashes := make([]uint32, n)
	parts := make([][]int, runtime.GOMAXPROCS(0)) // those with a host or parameters
	Parallel(n, func(part, from, to int) {
		for i := from; i < to; i++ {
			s := x.source(i)
			if hashes[i] = x.hashOf(s); s.Host != "" || s.Query != "" {
				parts[part] = append(parts[part], i)
			}
		}
	})
	named := slices.Concat(parts...)
	if len(named) < n {
		x.note(Source{})
	}
	for _, number := range named {
		x.note(x.source(number))
	}
	x.next, x.last = make([]int32, len(hashes)), make([]int32, len(hashes))
	Parallel(len(x.halves), func(_, from, to int) {
		for side := from; side < to; side++ {
			x.halves[side].resize(len(hashes) / len(x.halves))
			for n, hash := range hashes {
				if int(hash>>31) != side {
					continue
				}
				x.next[n], x.last[n] = -1, -1
				if !skip(n) {
					x.insert(x.source(n), hash, int32(n))
				}
			}
		}
	})
}

// Parallel calls do for equal parts of the numbers from 0 to n-1, side by side: one part for each processor, or one
// for all where there are few.
func Parallel(n int, do func(part, from, to int)) {
	count := runtime.GOMAXPROCS(0)
	if n > 2 && n < fewNumbers {
		do(0, 0, n)
		return
	}
	var all sync.WaitGroup
	for part := range count {
		all.Go(func() { do(part, n*part/count, n*(part+1)/count) })
	}
	all.Wait()
}

// fewNumbers is how many are not worth being parted. (Two are the halves of an index.)
const fewNumbers = 512

// note notes the host and the parameters of a source.
func (x *Index) note(s Source) {
	if !slices.Contains(x.hosts, s.Host) {
		x.hosts = append(x.hosts, s.Host)
	}
	if s.Query != "" {
		x.addNames(s)
	}
}

// insert enters a source under its number and hash.
func (x *Index) insert(s Source, hash uint32, n int32) {
	h := &x.halves[hash>>31]
	h.resize(h.used + 1)
	slot, first := x.find(hash, s.Host, "", "", &s)
	if first < 0 {
		h.slots[slot] = uint64(hash)<<32 | uint64(n+1)
		x.last[n] = n
		h.used++
		return
	}
	x.next[x.last[first]] = n
	x.last[first] = n
}

func (x *Index) addNames(s Source) {
	key := strings.Clone(x.Key(s.Path))
	names := x.names[key]
	for _, name := range s.Names() {
		if i, ok := slices.BinarySearch(names, name); !ok {
			names = slices.Insert(names, i, strings.Clone(name))
		}
	}
	if len(names) > 0 {
		x.names[key] = names
	}
}

// find returns the slot of a source, and the number of the first one there, or
// -1. The source is given, or else its host, key and signature.
func (x *Index) find(hash uint32, host, key, signature string, s *Source) (slot uint32, first int32) {
	slots := x.halves[hash>>31].slots
	if len(slots) == 0 {
		return 0, -1
	}
	mask := uint32(len(slots) - 1)
	keyed := s == nil
	for slot = hash & mask; slots[slot] != 0; slot = (slot + 1) & mask {
		if uint32(slots[slot]>>32) != hash {
			continue
		}
		n := uint32(slots[slot]) - 1
		if !keyed {
			key, signature, keyed = x.Key(s.Path), s.Signature(), true
		}
		if o := x.source(int(n)); o.Host == host && (o.Path == key || x.Key(o.Path) == key) &&
			o.Signature() == signature {
			return slot, int32(n)
		}
	}
	return slot, -1
}

// resize makes room for n sources that differ.
func (h *half) resize(n int) {
	if n*4 <= len(h.slots)*3 && len(h.slots) > 0 {
		return
	}
	slots := make([]uint64, max(16, 1<<bits.Len(uint(n*4/3))))
	mask := uint32(len(slots) - 1)
	for _, taken := range h.slots {
		if taken == 0 {
			continue
		}
		slot := uint32(taken>>32) & mask
		for slots[slot] != 0 {
			slot = (slot + 1) & mask
		}
		slots[slot] = taken
	}
	h.slots = slots
}

// Named returns the parameters, sorted, that the sources of a path name.
func (x *Index) Named(path string) []string {
	if len(x.names) == 0 {
		return nil
	}
	return x.names[x.Key(path)]
}

// firsts calls yield with the first number of each host whose sources a request
// on host meets.
func (x *Index) firsts(host, path string, params []address.Param, named []string,
	yield func(entry string, first int32)) {
	key, signature := x.Key(path), ""
	if len(named) > 0 {
		signature = Signature(Carried(params, named))
	}
	for _, entry := range x.hosts {
		if !x.Site.Hears(entry, host) {
			continue
		}
		if _, first := x.find(x.hash(entry, key, signature), entry, key, signature, nil); first >= 0 {
			yield(entry, first)
		}
	}
}

// First returns the number of the source that a request meets first, as Match
// orders them, or -1.
func (x *Index) First(host, path string, params []address.Param, named []string) int {
	best, rank := int32(-1), 0
	x.firsts(host, path, params, named, func(entry string, first int32) {
		if r := x.Site.Rank(entry, host); best < 0 || cmp.Or(cmp.Compare(r, rank), cmp.Compare(first, best)) < 0 {
			best, rank = first, r
		}
	})
	return int(best)
}

// FirstBare returns what First does for a request without parameters, by the
// key of its path.
func (x *Index) FirstBare(host, key string) int {
	if len(x.hosts) == 1 && x.hosts[0] == "" && len(x.Site.LanguageHosts) == 0 {
		_, first := x.find(x.hash("", key, ""), "", key, "", nil)
		return int(first)
	}
	best, rank := int32(-1), 0
	for _, entry := range x.hosts {
		if !x.Site.Hears(entry, host) {
			continue
		}
		if _, first := x.find(x.hash(entry, key, ""), entry, key, "", nil); first >= 0 {
			if r := x.Site.Rank(entry, host); best < 0 || cmp.Or(cmp.Compare(r, rank), cmp.Compare(first, best)) < 0 {
				best, rank = first, r
			}
		}
	}
	return int(best)
}

// Find returns the number of the first source that has a source's host, path and parameters, or -1.
func (x *Index) Find(s Source) int {
	_, first := x.find(x.hashOf(s), s.Host, "", "", &s)
	return int(first)
}

// Len returns how many sources there are.
func (x *Index) Len() int { return len(x.next) }

// Source returns the source with a number.
func (x *Index) Source(number int) Source { return x.source(number) }

// OneHost reports whether all sources are for one host, or for all, so that a
// request is met alike on all hosts of a site without hosts of languages.
func (x *Index) OneHost() bool { return len(x.hosts) <= 1 && len(x.Site.LanguageHosts) == 0 }

// NamedAt returns what Named does, by the key of a path.
func (x *Index) NamedAt(key string) []string { return x.names[key] }

// Match returns the numbers of the sources that a request meets: the path is
// theirs, the parameters they name are there with these values, and the
// request carries no other of the parameters in named. The best host comes
// first, then what was added first.
func (x *Index) Match(host, path string, params []address.Param, named []string) []int {
	var numbers []int
	x.firsts(host, path, params, named, func(_ string, first int32) {
		for n := first; n >= 0; n = x.next[n] {
			numbers = append(numbers, int(n))
		}
	})
	if len(numbers) > 1 {
		rank := func(n int) int { return x.Site.Rank(x.source(n).Host, host) }
		slices.SortFunc(numbers, func(a, b int) int { return cmp.Or(rank(a)-rank(b), a-b) })
	}
	return numbers
}

// Same returns the numbers, in their order, of all sources with the path and
// parameters of one, whatever their hosts; nil when that one is not the first of
// them.
func (x *Index) Same(number int) []int {
	if x.last[number] < 0 || len(x.hosts) == 1 && x.next[number] < 0 {
		return nil
	}
	var numbers []int
	follow := func(first int32) {
		for n := first; n >= 0; n = x.next[n] {
			numbers = append(numbers, int(n))
		}
	}
	if len(x.hosts) == 1 {
		follow(int32(number))
		return numbers
	}
	s := x.source(number)
	key, signature := x.Key(s.Path), s.Signature()
	var firsts []int32
	for _, host := range x.hosts {
		_, first := x.find(x.hash(host, key, signature), host, key, signature, nil)
		if first >= 0 && int(first) < number {
			return nil
		}
		if first >= 0 {
			firsts = append(firsts, first)
		}
	}
	for _, first := range firsts {
		follow(first)
	}
	slices.Sort(numbers)
	return numbers
}

// Carried returns the first occurrence of each named parameter that is there,
// in the order of names.
func Carried(params []address.Param, names []string) []address.Param {
	var carried []address.Param
	for _, name := range names {
		if p, ok := address.First(params, name); ok {
			carried = append(carried, p)
		}
	}
	return carried
}

// Signature writes carried parameters so that equal sets are equal texts.
func Signature(carried []address.Param) string {
	var b strings.Builder
	for _, p := range carried {
		b.WriteByte('&')
		b.WriteString(p.Raw)
	}
	return b.String()
}
