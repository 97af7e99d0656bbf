package probe

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/crawl"
	"young-compass/internal/feed"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/publish"
	"young-compass/internal/sitefile"
	"young-compass/internal/visits"
)

// Client asks a site; fetch.Client is one.
type Client interface {
	Get(context.Context, address.Address) (fetch.Reply, error)
	GetFile(context.Context, address.Address) (fetch.Reply, error)
	Head(context.Context, address.Address) (fetch.Reply, error)
	Elsewhere(context.Context, address.Address) (fetch.Reply, error)
}

// Keeper keeps what was answered, and knows what was answered already.
type Keeper interface {
	Get(address.Address) (content []byte, ok bool, err error)
	Put(address.Address, []byte) error
}

// Surveyor asks a site for all its addresses.
type Surveyor struct {
	Plan     *plan.Plan
	Client   Client
	Keeper   Keeper // may be nil
	Agent    string // the product token that robots.txt may name
	Max      int    // addresses that are asked for
	Together int
	External bool           // each link to another host is asked once
	Obey     bool           // robots.txt counts for known addresses too
	Sample   int            // so many of the known addresses, and what they name; 0: all, and where links lead
	Visits   []visits.Visit // of the site's logs
	Copies   []address.Address
	Progress func(asked, known int)
	Now      time.Time

	walker crawl.Crawler
}

// Survey is what a site answered.
type Survey struct {
	Plan         *plan.Plan
	Web          canonical.Web
	Rules        map[address.Address]crawl.Rules // of robots.txt, by origin
	Sitemaps     []Sitemap
	Listed       map[address.Address]Listing // what the sitemaps list
	Linked       map[address.Address]Linked
	Outside      map[address.Address]Linked // links to other hosts
	Heads        canonical.Web              // what these answered, if they were asked
	Feeds        map[address.Address]Linked // that pages name
	Stale        map[address.Address]string // feeds whose entries are on http, and the first of these
	Visits       []visits.Visit
	Copies       canonical.Web // on other hosts
	Staging      canonical.Web // of the staging hosts
	Plain        canonical.Web // live pages, on http
	Without      canonical.Web // addresses without one of their parameters, or with them in another order
	Parameters   []Parameter   // after Judge
	Certificates []Certificate
	Now          time.Time
	Endless      []string // paths whose links don't come to an end
	Full         bool     // there was more than is asked for

	most      int                               // addresses of the site of which is counted how many pages link there
	explained map[address.Address]bool          // addresses with a finding that is the cause of others
	tracked   map[address.Address]bool          // those of which a finding about a parameter tells
	said      map[address.Address]*publish.Page // what the plan has pages say, by where they are
}

// Sitemap is a sitemap, or an index of them.
type Sitemap struct {
	Address address.Address
	Named   bool // in robots.txt
	Status  int
	Failure fetch.Failure
	Problem string // it can't be read
	Entries int
	Size    int            // bytes, unpacked
	Wrong   []sitefile.URL // entries that are no addresses, or have no date, at most a few
}

// Listing is where a sitemap lists an address.
type Listing struct {
	Sitemap    address.Address
	Line       int
	Modified   string
	Alternates []sitefile.Alternate
}

// Linked says how often pages link to an address, and from where first.
type Linked struct {
	Count int
	From  address.Address
}

// The bounds of a survey.
const (
	maxSitemaps    = 1000
	maxEntries     = 1_000_000
	maxQueries     = 200 // of one path
	maxDepth       = 20  // segments of a path
	maxRepeats     = 3   // of one segment in a path
	maxWrong       = 20
	maxFromVisits  = 2000
	maxSitemapName = 2000
	maxLinked      = 100_000 // addresses on other hosts of which is counted how many pages link there
)

func newSurvey(s *Surveyor) *Survey {
	return &Survey{
		Plan: s.Plan, Visits: s.Visits, Now: s.Now, most: 2*s.Max + 10_000,
		Web: canonical.Web{}, Heads: canonical.Web{}, Copies: canonical.Web{}, Staging: canonical.Web{},
		Plain: canonical.Web{}, Without: canonical.Web{},
		Rules: map[address.Address]crawl.Rules{}, Listed: map[address.Address]Listing{},
		Stale:  map[address.Address]string{},
		Linked: map[address.Address]Linked{}, Outside: map[address.Address]Linked{},
		Feeds:     map[address.Address]Linked{},
		explained: map[address.Address]bool{},
	}
}

// Identity tells runs apart: one that was broken off is gone on with by a run that asks the same questions at the same
// place. at is what stands instead of the addresses that the site's names lead to.
func (s *Surveyor) Identity(at []string, sends string) string {
	return fmt.Sprint("survey ", s.Plan.Site.Origin, " at ", at, " max ", s.Max, " obey ", s.Obey, " sample ", s.Sample,
		" external ", s.External, " copies ", s.Copies, " sends ", sends)
}

// Run asks the site.
func (s *Surveyor) Run(ctx context.Context) (*Survey, error) {
	v := newSurvey(s)
	visitor := Recorder(s.Client, s.Keeper)
	s.walker = crawl.Crawler{Asker: s.Client, Elsewhere: s.Client.Elsewhere, Visitor: visitor, Site: s.Plan.Site, Agent: s.Agent, Max: s.Max,
		Together: s.Together, Progress: s.Progress}
	origin := s.Plan.Site.Origin
	v.Rules[origin] = s.walker.Rules(ctx, origin)
	if err := s.readSitemaps(ctx, v); err != nil {
		return nil, err
	}
	known := s.known(v)
	if !s.Obey {
		s.walker.Known = func(a address.Address) bool { return known[a] }
	}
	spaces := spaces{queries: map[string]int{}, endless: map[string]bool{}}
	s.walker.Queue = func(a address.Address) (address.Address, bool) { return a, known[a] || spaces.enter(a) }
	start := slices.SortedFunc(maps.Keys(known), address.Compare)
	if s.Sample > 0 {
		s.walker.Queue = func(a address.Address) (address.Address, bool) { return a, known[a] }
	}
	err := s.walker.Walk(ctx, start, v.meet)
	if err == nil && s.Sample > 0 {
		known, start = v.named()
		err = s.walker.Walk(ctx, start, v.meet)
	}
	if err != nil {
		return nil, err
	}
	v.Full = len(v.Web) >= s.Max
	v.Endless = slices.Sorted(maps.Keys(spaces.endless))
	for _, ask := range []func(context.Context, *Survey, crawl.Visitor) error{s.askPlain, s.askParameters, s.askOutside,
		s.askFeeds} {
		if err := ask(ctx, v, visitor); err != nil {
			return nil, err
		}
	}
	var staging []address.Address
	for _, host := range s.Plan.Staging {
		staging = append(staging, address.Address{Scheme: "https", Host: host, Path: "/"},
			address.Address{Scheme: "http", Host: host, Path: "/"})
	}
	live := crawl.Live{Asker: s.Client} // what is not the site's is not kept
	if err := s.visitAll(ctx, live, staging, v.Staging); err != nil {
		return nil, err
	}
	if err := s.visitAll(ctx, live, s.Copies, v.Copies); err != nil {
		return nil, err
	}
	return v, ctx.Err()
}

// askPlain asks for the certificates of the site's hosts, and for live pages on
// http.
func (s *Surveyor) askPlain(ctx context.Context, v *Survey, visitor crawl.Visitor) error {
	if s.Plan.Site.Origin.Scheme != "https" {
		return nil
	}
	for _, host := range s.Plan.Site.All() {
		reply, err := s.Client.Get(ctx, address.Address{Scheme: "https", Host: host, Path: "/"})
		v.Certificates = append(v.Certificates, certificateOf(host, reply, err))
	}
	list := v.live()
	list = list[:min(len(list), s.Max)]
	for i := range list {
		list[i].Scheme = "http"
	}
	return s.visitAll(ctx, visitor, list, v.Plain)
}

// visitAll asks for addresses, several at a time, and enters what they answer.
func (s *Surveyor) visitAll(ctx context.Context, visitor crawl.Visitor, list []address.Address,
	into canonical.Web) error {
	pages := make([]crawl.Page, len(list))
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(max(s.Together, asking))
	for i, a := range list {
		group.Go(func() (err error) {
			pages[i], err = visitor.Visit(ctx, a)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for i := range pages {
		into[list[i]] = &pages[i]
	}
	return nil
}

// header asks for headers alone.
type header struct{ client Client }

// Visit returns what the header at an address says.
func (h header) Visit(ctx context.Context, a address.Address) (crawl.Page, error) {
	reply, err := h.client.Head(ctx, a)
	return crawl.Read(a, reply, err), ctx.Err()
}

// named returns the addresses that pages name as their canonical one or their
// translation, or redirect to, and that weren't asked for.
func (v *Survey) named() (set map[address.Address]bool, list []address.Address) {
	set = map[address.Address]bool{}
	for _, a := range v.Web.Sorted() {
		p := v.Web[a]
		targets := []address.Address{p.To}
		for _, n := range canonical.NamedBy(p) {
			targets = append(targets, n.To)
		}
		for _, n := range canonical.Alternates(p) {
			targets = append(targets, n.To)
		}
		for _, to := range targets {
			if to.Fragment = ""; v.Web[to] == nil && v.Plan.Site.Has(to.Host) && !set[to] {
				set[to] = true
				list = append(list, to)
			}
		}
	}
	return set, list
}

// maxFeeds is how many feeds are read.
const maxFeeds = 20

// askFeeds looks for entries on http in the feeds that pages name.
func (s *Surveyor) askFeeds(ctx context.Context, v *Survey, _ crawl.Visitor) error {
	list := slices.SortedFunc(maps.Keys(v.Feeds), address.Compare)
	for _, a := range list[:min(len(list), maxFeeds)] {
		reply, err := s.Client.Get(ctx, a)
		if err != nil || reply.Status != 200 {
			continue
		}
		// What can't be read of a feed says nothing about http.
		_ = feed.Read(a.String(), bytes.NewReader(reply.Body), func(e feed.Item) error {
			to, err := address.Reference(a, e.Link)
			if err == nil && to.Scheme == "http" && s.Plan.Site.Has(to.Host) && v.Stale[a] == "" {
				v.Stale[a] = to.String()
			}
			return nil
		})
	}
	return ctx.Err()
}

// maxOutside is how many links to other hosts are asked.
const maxOutside = 2000

// askOutside asks once for the header of each link to another host.
func (s *Surveyor) askOutside(ctx context.Context, v *Survey, _ crawl.Visitor) error {
	if !s.External {
		return nil
	}
	list := slices.SortedFunc(maps.Keys(v.Outside), address.Compare)
	return s.visitAll(ctx, header{s.Client}, list[:min(len(list), maxOutside, s.Max)], v.Heads)
}

// explains reports whether an address has a finding of its own.
func (v *Survey) explains(url string) bool {
	a, err := address.Parse(url)
	return err == nil && v.explained[a]
}

// IsConsequence reports whether an address that a finding is about leads to one
// that has a finding of its own.
func (v *Survey) IsConsequence(f finding.Finding) bool {
	a, err := address.Parse(f.Where.URL)
	if err != nil {
		return false
	}
	answer, err := v.Plan.Trace(plan.Request{Method: "GET", Address: a})
	if err != nil {
		return false
	}
	end := answer.Final.Address
	end.Fragment = ""
	return v.explained[end]
}

// meet takes up a page. Of its links only those that say something are kept.
func (v *Survey) meet(p crawl.Page, leads []address.Address) {
	for _, to := range leads {
		if to.Fragment = ""; to == p.Address || p.To != (address.Address{}) {
			continue
		}
		linked, most := v.Linked, v.most
		if !v.Plan.Site.Has(to.Host) {
			linked, most = v.Outside, maxLinked
		}
		l := linked[to]
		if l.Count++; l.Count == 1 {
			if l.From = p.Address; len(linked) >= most {
				continue
			}
		}
		linked[to] = l
	}
	for _, link := range p.Signals.Feeds {
		if a, err := address.Reference(p.Base(), link); err == nil && v.Plan.Site.Has(a.Host) {
			if a.Fragment = ""; v.Feeds[a].Count == 0 {
				v.Feeds[a] = Linked{1, p.Address}
			}
		}
	}
	p.Signals.Links = slices.Clone(slices.DeleteFunc(p.Signals.Links,
		func(link string) bool { return !strings.HasPrefix(strings.ToLower(link), "http://") }))
	v.Web[p.Address] = &p
}

// known returns what is asked for in any case: the home page, what the book, the
// sitemaps and the logs name.
func (s *Surveyor) known(v *Survey) map[address.Address]bool {
	prefixed := s.Plan.Site.Origin
	prefixed.Path = "/" + s.Plan.Languages.Default
	known := map[address.Address]bool{s.Plan.Site.Origin: true, prefixed: s.Plan.Languages.Default != ""}
	for _, page := range s.Plan.Pages.Pages {
		if a, ok := s.Plan.CurrentAddress(page.Ref); ok && page.State == inventory.Live {
			known[a] = true
		}
	}
	for a := range v.Listed {
		known[a] = s.Plan.Site.Has(a.Host)
	}
	byVisits := slices.Clone(s.Visits)
	slices.SortStableFunc(byVisits, func(a, b visits.Visit) int {
		return cmp.Or(b.Visitors-a.Visitors, address.Compare(a.Address, b.Address))
	})
	some := 0
	for _, visit := range byVisits {
		if s.Plan.Site.Has(visit.Address.Host) && visit.Status == 200 && some < maxFromVisits {
			known[visit.Address] = true
			some++
		}
	}
	maps.DeleteFunc(known, func(_ address.Address, ok bool) bool { return !ok })
	if s.Sample > 0 {
		var targets []plan.Known
		for _, a := range slices.SortedFunc(maps.Keys(known), address.Compare) {
			targets = append(targets, plan.Known{Address: a})
		}
		clear(known)
		known[s.Plan.Site.Origin] = true
		for t := range Sample(slices.Values(targets), s.Sample, Weights(s.Visits)) {
			known[t.Address] = true
		}
	}
	return known
}

// spaces finds link spaces without end: calendars, paths that grow.
type spaces struct {
	queries map[string]int // by path
	endless map[string]bool
}

func (s *spaces) enter(a address.Address) bool {
	segments := strings.Split(a.Path, "/")
	repeats := map[string]int{}
	for _, segment := range segments {
		if segment != "" {
			repeats[segment]++
		}
		if repeats[segment] > maxRepeats || len(segments) > maxDepth {
			s.endless["/"+segments[1]] = true
			return false
		}
	}
	if a.Query == "" {
		return true
	}
	key := a.Scheme + "://" + a.Host + a.Path
	if s.queries[key]++; s.queries[key] > maxQueries {
		s.endless[a.Path] = true
		return false
	}
	return true
}

// recorder visits what was not visited already, and keeps it.
type recorder struct {
	live   crawl.Visitor
	keeper Keeper
}

// Visit returns what is at an address.
func (r *recorder) Visit(ctx context.Context, a address.Address) (crawl.Page, error) {
	if r.keeper == nil {
		return r.live.Visit(ctx, a)
	}
	content, ok, err := r.keeper.Get(a)
	var p crawl.Page
	if err != nil || ok && json.Unmarshal(content, &p) == nil {
		return p, err
	}
	if p, err = r.live.Visit(ctx, a); err != nil {
		return p, err
	}
	if content, err = json.Marshal(p); err != nil {
		return p, fmt.Errorf("keeping what %s answered: %w", a, err)
	}
	return p, r.keeper.Put(a, content)
}

// Recorder returns a visitor that keeps what it meets, and asks for nothing that
// is kept already.
func Recorder(asker crawl.Asker, keeper Keeper) crawl.Visitor {
	return &recorder{crawl.Live{Asker: asker}, keeper}
}
