package finding

// Code names what was found, in plain words with hyphens. It stays as it is: people and programs filter by it.
type Code string

// Reading files.
const (
	// UnreadableFile: a whole file can't be read as what it should be.
	//
	// Why: the command can't work without it.
	// Mend: mend the file at the line that is named.
	// Severity: error.
	//
	//	young-compass.yaml:2:3: unknown key "orign"
	UnreadableFile Code = "unreadable"

	// BadRow: a row of a table can't be read; the others are judged.
	//
	// Why: its redirect or page is missing from all that follows.
	// Mend: mend the row, or take it out.
	// Severity: error.
	//
	//	/a,/b,seven
	BadRow Code = "bad-row"
)

// Redirects.
const (
	// Loop: redirects lead round in a circle, or more than five patterns follow one another.
	//
	// Why: a visitor never arrives; browsers give up with an error.
	// Mend: decide which of these addresses is right, and delete its row.
	// Severity: error.
	//
	//	/a,/b,301
	//	/b,/a,301
	Loop Code = "loop"

	// IntoLoop: a redirect leads to where others lead round in a circle.
	//
	// Why: a visitor never arrives.
	// Mend: mend the loop, or lead the row to a page.
	// Severity: error.
	//
	//	/x,/a,301
	//	/a,/b,301
	//	/b,/a,301
	IntoLoop Code = "into-loop"

	// Self: a redirect leads to its own source, as written or after the site's own rules.
	//
	// Why: on many servers a visitor goes round until the browser gives up.
	// Mend: delete the row, or write the target that was meant.
	// Severity: error.
	//
	//	/a,/a/,301
	Self Code = "self"

	// IdlePattern: a pattern of the plan leads to what it reads.
	//
	// Why: it does nothing; something else was meant.
	// Mend: write the target that was meant, or delete the pattern.
	// Severity: warning.
	//
	//	{from: "/News/{slug}", to: "/news/{slug}"}, under letters: lower
	IdlePattern Code = "idle-pattern"

	// SharedAddress: two pages have one current address.
	//
	// Why: which of them a visitor gets is nobody's word; a merge of two branches leaves such rows.
	// Mend: give one of the two pages another address: in the column fixed of pages.csv.
	// Severity: error.
	//
	//	/a,p@en,current
	//	/a,q@en,current
	SharedAddress Code = "shared-address"

	// Redundant: the site's own rules lead there already.
	//
	// Why: two rows for one thing will differ one day.
	// Mend: delete the row.
	// Severity: note.
	//
	//	/a.html,/a,301
	Redundant Code = "redundant"

	// Chain: a redirect leads to what another one redirects again.
	//
	// Why: each further hop costs the visitor time, and some give up following.
	// Mend: lead it straight to the end; `redirects flatten` does so for a whole list.
	// Severity: error.
	//
	//	/a,/b,301
	//	/b,/c,301
	Chain Code = "chain"

	// HiddenChain: a redirect leads to a spelling that the site's own rules or the address book redirect again.
	//
	// Why: each visitor makes two hops.
	// Mend: write the final address; `redirects flatten` does so for a whole list.
	// Severity: warning.
	//
	//	/a,/B/,301
	HiddenChain Code = "hidden-chain"

	// Duplicate: a redirect says what one before it says.
	//
	// Why: two rows for one thing will differ one day.
	// Mend: delete one of the two rows.
	// Severity: warning.
	//
	//	/a,/b,301
	//	/a,/b,301
	Duplicate Code = "duplicate"

	// Conflict: one source leads to several targets, or two patterns read the same address and lead it elsewhere.
	//
	// Why: a server takes one of them, and not every server the same.
	// Mend: keep the row that is right, and delete the others.
	// Severity: error.
	//
	//	/a,/b,301
	//	/a,/c,301
	Conflict Code = "conflict"

	// Shadowed: a pattern is never met: patterns before it read all of its addresses.
	//
	// Why: visitors go where the earlier ones lead.
	// Mend: move the narrower pattern up, or delete it.
	// Severity: warning.
	//
	//	/p/{x},/q/{x},301
	//	/p/{y},/r/{y},302
	Shadowed Code = "shadowed"

	// DeadTarget: a redirect leads to where no page is.
	//
	// Why: the visitor is led to an error.
	// Mend: lead it to the page that replaced it, or say 410.
	// Severity: error.
	//
	//	/a,/no-such-page,301
	DeadTarget Code = "dead-target"

	// LiveSource: a redirect starts at the address of a live page, and is ignored.
	//
	// Why: whoever wrote it expects something else.
	// Mend: delete the row, or move the page first.
	// Severity: warning.
	//
	//	/contact,/about,301
	LiveSource Code = "live-source"

	// HomeTarget: a redirect leads to the home page from what isn't one.
	//
	// Why: visitors look for what they came for, and search engines take it for not found.
	// Mend: lead it to the page that replaced it; if there is none, say 410.
	// Severity: warning.
	//
	//	/old/prices.htm,/,301
	HomeTarget Code = "home-target"

	// CrossLanguage: a redirect leads to a page in another language than its source, though the page is there in that
	// one.
	//
	// Why: visitors can't read what they get.
	// Mend: lead it to the page in the source's language.
	// Severity: warning.
	//
	//	/de/alt,route-school@en,301
	CrossLanguage Code = "cross-language"

	// WrongStatus: a status doesn't say what the redirect is: for good, for now, or gone.
	//
	// Why: browsers and search engines keep what is permanent.
	// Mend: write the status that is meant: 301 for good, 302 for now, 410 for gone.
	// Severity: warning.
	//
	//	/a,/b,410
	WrongStatus Code = "wrong-status"

	// UnreachableSource: a redirect starts at an address that no request can have.
	//
	// Why: it never counts.
	// Mend: write the address as a browser sends it.
	// Severity: error.
	//
	//	/a#top,/b,301
	UnreachableSource Code = "unreachable-source"

	// UnsafeTarget: a redirect leads to what is no http or https address, or lets somebody else choose the host.
	//
	// Why: browsers may go where nobody meant.
	// Mend: write the whole address with https:// in front, or one slash.
	// Severity: error.
	//
	//	/go,//partners.example/,302
	UnsafeTarget Code = "unsafe-target"

	// ForeignTarget: a redirect leads to a host that is neither the site's nor known.
	//
	// Why: a misspelt host sends visitors to strangers.
	// Mend: correct the host, or list it in `known` under `site` of the plan.
	// Severity: warning.
	//
	//	/a,https://other.example/,301
	ForeignTarget Code = "foreign-target"

	// UnusedVariables: a row is a pattern, since its source has braces, and its target uses none of its variables.
	//
	// Why: all addresses of that form are led to one place, though only one with braces was meant, perhaps.
	// Mend: use the variables in the target, or write the braces as %7B and %7D.
	// Severity: warning.
	//
	//	/print/{id}.htm,/ports,301
	UnusedVariables Code = "unused-variables"

	// ParameterOnWay: a list was made flat though parameters mean something on a redirect's way.
	//
	// Why: a request that brought them along may have ended elsewhere.
	// Mend: look at the rows that are named, and say `query: drop` where a parameter means nothing.
	// Severity: warning.
	//
	//	/a,/list.php,301
	//	/list.php?id=7,/b,301
	ParameterOnWay Code = "parameter-on-way"

	// CaughtByMistake: a pattern answers an address that it wasn't meant for.
	//
	// Why: its visitors are led where no page is.
	// Mend: list this address on its own, or narrow the pattern.
	// Severity: warning.
	//
	//	/news/{id}.htm reads /news/archive.htm
	CaughtByMistake Code = "caught-by-mistake"

	// ScriptMoved: the plan redirects a script or a file that visitors get today to where no page is.
	//
	// Why: a basket or a search stops working, and nobody listed it.
	// Mend: list the script in `files` under `site` of the plan, or lead it to a page.
	// Severity: warning.
	//
	//	/basket.php, with extension: none, and not in site.files
	ScriptMoved Code = "script-moved"

	// LowCoverage: the plan answers fewer visits than were wanted.
	//
	// Why: visitors with old addresses find nothing.
	// Mend: add redirects for the addresses that `redirects coverage` lists first.
	// Severity: error.
	//
	//	redirects coverage --at-least 95
	LowCoverage Code = "low-coverage"
)

// The plan.
const (
	// UnknownPage: a redirect leads to a page that has no address.
	//
	// Why: it leads nowhere.
	// Mend: correct the key, or give the page an address: `design --write`.
	// Severity: error.
	//
	//	/a,no-such-page@en,301
	UnknownPage Code = "unknown-page"

	// NoiseSource: an address is told by a noise parameter, which is left out.
	//
	// Why: the address may never be reached.
	// Mend: take the parameter out of the source, or out of `noise`.
	// Severity: warning.
	//
	//	/a?sid=1,/b,301
	NoiseSource Code = "noise-source"

	// OrphanAddress: the book holds an address of a page that is no longer in the inventory.
	//
	// Why: it answers 404.
	// Mend: let pages.csv have the page again, with the state gone, or redirect the address.
	// Severity: warning.
	//
	//	addresses.csv has /a for p@en, and pages.csv no p
	OrphanAddress Code = "orphan-address"

	// AwayWithoutRedirect: a page is away, and nothing says where its visitors go meanwhile.
	//
	// Why: the plan can't answer them.
	// Mend: add a redirect with status 302 from the page's address.
	// Severity: error.
	//
	//	pages.csv: p,en,page,P,away
	AwayWithoutRedirect Code = "away-without-redirect"

	// SelfRedirect: a redirect leads to another spelling of its source, which no server is asked to do.
	//
	// Why: the site's own rules do the same.
	// Mend: delete the row.
	// Severity: warning.
	//
	//	/A,/a,301
	SelfRedirect Code = "self-redirect"

	// SelfQuery: a redirect leads to its own source with another query string.
	//
	// Why: the plan's answer can't be told to a server, which would lead the result on again.
	// Mend: delete the row, and name the parameter under `noise`.
	// Severity: error.
	//
	//	/fares,/fares,301,drop
	SelfQuery Code = "self-query"

	// Untraceable: what was to be traced is no address of this site's form.
	//
	// Why: there is nothing to answer.
	// Mend: write an http or https address, or a path.
	// Severity: error.
	//
	//	trace ftp://skerrywick.example/
	Untraceable Code = "untraceable"
)

// Designing addresses.
const (
	// Collision: two pages would get one address.
	//
	// Why: one of them could never be reached.
	// Mend: say how they are told apart: `--collide`, `collide` in the plan, or the column fixed of pages.csv.
	// Severity: error.
	//
	//	two pages with the title Tickets
	Collision Code = "collision"

	// Taken: a page would get what has been an address of another.
	//
	// Why: who kept that address would find the wrong page.
	// Mend: give the new page another address: in the column fixed of pages.csv.
	// Severity: error.
	//
	//	a new page Timetable at /timetable
	Taken Code = "taken"

	// Reserved: a page would get an address that the plan answers otherwise.
	//
	// Why: it could never be reached.
	// Mend: give the page another address: in the column fixed of pages.csv.
	// Severity: error.
	//
	//	a page with the slug robots.txt
	Reserved Code = "reserved"

	// BadFixed: an address fixed by hand is none on the site.
	//
	// Why: nothing can be served there.
	// Mend: write a path on the site into the column fixed.
	// Severity: error.
	//
	//	fixed: https://other.example/a
	BadFixed Code = "bad-fixed"

	// BadAddress: a template makes no address of a page's fields.
	//
	// Why: the page has no address.
	// Mend: correct the template, or the field that it uses.
	// Severity: error.
	//
	//	address: "/{a}{b}" of empty fields
	BadAddress Code = "bad-address"

	// BadCanonical: a page defers to itself, to nothing, or to one that defers in turn.
	//
	// Why: search engines believe none of them.
	// Mend: name the key of the page that is canonical in the column canonical, or leave it empty.
	// Severity: error.
	//
	//	canonical: no-such-page@en
	BadCanonical Code = "bad-canonical"

	// UnknownKind: a page is of a kind for which the plan has no address.
	//
	// Why: it gets none.
	// Mend: add the kind to the plan, or correct the column kind of pages.csv.
	// Severity: error.
	//
	//	kind: ferry
	UnknownKind Code = "unknown-kind"

	// UnknownLanguage: a page is in a language that the plan doesn't know.
	//
	// Why: it gets no address.
	// Mend: add the language to the plan, or correct the column language of pages.csv.
	// Severity: error.
	//
	//	language: fr
	UnknownLanguage Code = "unknown-language"

	// UnknownField: a template names a field that no page of the kind has.
	//
	// Why: nothing can be put there.
	// Mend: correct the name in the template, or add the column to pages.csv.
	// Severity: error.
	//
	//	address: "/{harbour}/{slug}"
	UnknownField Code = "unknown-field"

	// MissingField: a page lacks a field that its address needs.
	//
	// Why: it gets no address.
	// Mend: fill the field in pages.csv.
	// Severity: error.
	//
	//	a port without a region
	MissingField Code = "missing-field"

	// MissingTranslation: some of the site's languages don't have a page.
	//
	// Why: visitors in these languages find nothing.
	// Mend: translate the page, or leave it: its translations then name those that are there.
	// Severity: note.
	//
	//	a page in en and de, but not in nb
	MissingTranslation Code = "missing-translation"

	// TwoReadings: addresses of a kind can be read in two ways.
	//
	// Why: what stands in them can't be told apart.
	// Mend: put a fixed word or a narrower class between the two variables of the template.
	// Severity: warning.
	//
	//	address: "/{a}-{b}"
	TwoReadings Code = "two-readings"

	// SlugFromKey: a title holds no letter or digit, so that the key stands in the address.
	//
	// Why: the address says nothing.
	// Mend: write the words that are to stand in the address into the column slug.
	// Severity: note.
	//
	//	title: "???"
	SlugFromKey Code = "slug-from-key"

	// LongAddress: an address is longer than the plan allows.
	//
	// Why: it is cut in mails, and nobody reads it.
	// Mend: write a shorter slug, or a shorter template.
	// Severity: warning.
	//
	//	/a-title-that-never-ends-...
	LongAddress Code = "long-address"

	// DeepAddress: an address has more segments than the plan allows.
	//
	// Why: it looks far away, and is hard to read out.
	// Mend: take a segment out of the template.
	// Severity: warning.
	//
	//	/a/b/c/d/e/f
	DeepAddress Code = "deep-address"
)

// Judging addresses.
const (
	// SessionID: a session's name or number stands in an address.
	//
	// Why: each visitor gets addresses of their own; copied links carry a stranger's visit.
	// Mend: name the parameter under `noise`.
	// Severity: error.
	//
	//	/page?PHPSESSID=9f3c
	SessionID Code = "session-id"

	// Placeholder: a field's name stands in an address where its value should.
	//
	// Why: it was meant to be replaced by a field of the page.
	// Mend: write {field} in the template, or correct what makes the links.
	// Severity: error.
	//
	//	/ports/%7Btitle%7D
	Placeholder Code = "placeholder"

	// OpaqueID: a number, or a mixture that no word is, stands for a page.
	//
	// Why: a number tells nobody which page it is.
	// Mend: use a slug of the title in the template.
	// Severity: warning.
	//
	//	/page/4711
	OpaqueID Code = "opaque-id"

	// QueryAddress: a parameter stands where words could.
	//
	// Why: nobody can guess or remember it, and its order and company vary.
	// Mend: give the kind an address of words in the plan.
	// Severity: warning.
	//
	//	/page.php?id=7
	QueryAddress Code = "query-address"

	// EncodedLetters: bytes stand in an address that browsers show as percent signs.
	//
	// Why: it can't be read.
	// Mend: write the slug in plain letters; `letters: ascii` under `slugs` does so.
	// Severity: warning.
	//
	//	/caf%E9
	EncodedLetters Code = "encoded-letters"

	// IndexFile: a folder's index file stands in an address.
	//
	// Why: the folder alone means the same, so there are two addresses.
	// Mend: list it in `index` under `site: paths:` of the plan.
	// Severity: warning.
	//
	//	/routes/index.html
	IndexFile Code = "index-file"

	// TechnicalExtension: an extension tells how a page is made.
	//
	// Why: it changes when the site is made otherwise.
	// Mend: say `extension: none` under `site: paths:` of the plan.
	// Severity: warning.
	//
	//	/routes.php
	TechnicalExtension Code = "technical-extension"

	// Space: a space or a plus sign stands in an address.
	//
	// Why: it is written %20, and cut there in mails.
	// Mend: part words with hyphens.
	// Severity: warning.
	//
	//	/our%20fleet
	Space Code = "space"

	// DefaultLanguagePrefix: the code of the language that has no prefix stands in front.
	//
	// Why: the same page is there without it, so there are two addresses.
	// Mend: let the default language have no prefix in the plan.
	// Severity: warning.
	//
	//	/en/routes
	DefaultLanguagePrefix Code = "default-language-prefix"

	// DoubleSeparator: slashes, hyphens or underscores are doubled.
	//
	// Why: easily lost in copying, and then another address.
	// Mend: write one of them.
	// Severity: warning.
	//
	//	/routes//skerry
	DoubleSeparator Code = "double-separator"

	// Underscore: words are parted by underscores.
	//
	// Why: an underscore vanishes in an underlined link; a hyphen doesn't.
	// Mend: part words with hyphens.
	// Severity: note.
	//
	//	/our_fleet
	Underscore Code = "underscore"

	// Capitals: there are capital letters in an address.
	//
	// Why: people type small letters, and many servers tell them apart.
	// Mend: say `letters: lower` under `site: paths:` of the plan.
	// Severity: note.
	//
	//	/Fleet
	Capitals Code = "capitals"

	// MissingSeparator: words are not parted.
	//
	// Why: nobody can read where one ends.
	// Mend: part the words with hyphens.
	// Severity: note.
	//
	//	/wintertimetableforallroutes
	MissingSeparator Code = "missing-separator"

	// NeedlessDate: a date stands in an address of a kind that isn't dated.
	//
	// Why: it makes a page look old.
	// Mend: take the date out of the template of the kind.
	// Severity: note.
	//
	//	/2019/05/ports
	NeedlessDate Code = "needless-date"

	// RepeatedWord: a word stands there twice.
	//
	// Why: it makes the address longer and tells nothing new.
	// Mend: leave one of the two out.
	// Severity: note.
	//
	//	/routes/skerry-routes
	RepeatedWord Code = "repeated-word"

	// FillerWords: articles and the like stand in an address.
	//
	// Why: the address says the same without.
	// Mend: leave them out; `fillers` under `slugs` of the plan does so.
	// Severity: note.
	//
	//	/the-ports-of-the-islands
	FillerWords Code = "filler-words"

	// MixedSlash: some addresses end in a slash, others don't.
	//
	// Why: nobody can know which is right.
	// Mend: say `slash: never` or `slash: always` in the plan.
	// Severity: warning.
	//
	//	/a/ and /b
	MixedSlash Code = "mixed-slash"

	// MixedExtensions: some addresses have an extension, others don't.
	//
	// Why: nobody can know which is right.
	// Mend: say `extension: none` under `site: paths:` of the plan.
	// Severity: warning.
	//
	//	/a.html and /b
	MixedExtensions Code = "mixed-extensions"

	// SameLastSegment: one last segment stands under several sections.
	//
	// Why: pages are hard to tell apart by it.
	// Mend: if it is one page, choose one section and let the others redirect.
	// Severity: note.
	//
	//	/ports/winter and /routes/winter
	SameLastSegment Code = "same-last-segment"
)

// Gathering.
const (
	// AmbiguousDate: the dates of a column can be read in two ways.
	//
	// Why: the third of December is not the twelfth of March.
	// Mend: write dates as 2026-11-23.
	// Severity: warning.
	//
	//	3/12/2019, and no number above twelve in the column
	AmbiguousDate Code = "ambiguous-date"

	// SourcesDiffer: two sources say different things of one page.
	//
	// Why: one of them is wrong.
	// Mend: write the right one into pages.csv.
	// Severity: warning.
	//
	//	the table says Fares, the site says Tickets
	SourcesDiffer Code = "sources-differ"
)

// Servers.
const (
	// NotExpressible: a server can't be told a part of the plan.
	//
	// Why: it would answer otherwise than the plan.
	// Mend: write that part of the plan otherwise, or choose a server form that can say it.
	// Severity: error.
	//
	//	a pattern with nine variables, for nginx
	NotExpressible Code = "not-expressible"

	// ServerDiffers: a server answers some known addresses otherwise than the plan, as docs/servers.md says.
	//
	// Why: visitors make a second hop.
	// Mend: read what docs/servers.md says of it, and decide whether it matters for your site.
	// Severity: warning.
	//
	//	/a%2Bb, for Caddy
	ServerDiffers Code = "server-differs"

	// ServerCheck: a server's own check refuses the file.
	//
	// Why: the server would not start with it.
	// Mend: mend the server's file at the line that the server names.
	// Severity: error.
	//
	//	unknown directive "redirec"
	ServerCheck Code = "server-check"

	// SlowFolderFile: a per-folder file is so long that httpd gets slow.
	//
	// Why: httpd reads it anew for each request.
	// Mend: use `emit php`, or the server's own configuration.
	// Severity: warning.
	//
	//	.htaccess of 399 rules
	SlowFolderFile Code = "slow-folder-file"

	// SlowTable: a table is so long that Caddy gets slow.
	//
	// Why: Caddy tries its rows one by one.
	// Mend: put nginx, HAProxy or httpd in front when the site is busy.
	// Severity: warning.
	//
	//	1,000 addresses
	SlowTable Code = "slow-table"

	// RulesBelow: a per-folder file further down switches off the rules above it.
	//
	// Why: the plan doesn't count there.
	// Mend: write RewriteOptions InheritBefore into that file, or take its RewriteEngine out.
	// Severity: warning.
	//
	//	shop/.htaccess: RewriteEngine On
	RulesBelow Code = "rules-below"
	// FolderSlash: the server leads real folders to their address with a slash, which the plan removes.
	//
	// Why: the two lead round in a circle, and visitors of a real folder never arrive.
	// Mend: say `slash: keep` in the plan, or rename the folder.
	// Severity: warning.
	//
	//	try_files $uri $uri/ =404;
	FolderSlash Code = "folder-slash"

	// ExistingLoop: a rule that is in the server's file already and the plan lead round in a circle.
	//
	// Why: visitors of these addresses never arrive; browsers give up with an error.
	// Mend: take one of the two rules out.
	// Severity: error.
	//
	//	.htaccess: RewriteRule ^(.*)$ https://www.skerrywick.example/$1 [R=301,L]
	ExistingLoop Code = "existing-loop"

	// ExistingRedirect: a rule that is in the server's file already answers addresses otherwise than the plan.
	//
	// Why: the plan isn't asked there, or visitors leave a page that the plan has.
	// Mend: take the rule out of the file, or bring the plan to what it says: `redirects merge .htaccess`.
	// Severity: warning.
	//
	//	.htaccess: Redirect 301 /routes /timetables
	ExistingRedirect Code = "existing-redirect"

	// ExistingHop: a rule that is in the server's file already adds a hop to a way of the plan.
	//
	// Why: each further hop costs time.
	// Mend: take the rule out, or lead it straight to the last address.
	// Severity: warning.
	//
	//	.htaccess: Redirect 301 /old.html /older.html
	ExistingHop Code = "existing-hop"

	// ExistingUnasked: a rule that is in the server's file already isn't asked any more once the plan is installed.
	//
	// Why: what it did is no longer done.
	// Mend: take the rule out, or write it above the plan's rules.
	// Severity: error.
	//
	//	.htaccess: RewriteRule ^api/(.*)$ /api.php?call=$1 [L]
	ExistingUnasked Code = "existing-unasked"

	// FrontUnnamed: the server's file sends pages to a script that the plan doesn't name.
	//
	// Why: with the plan's script in front of it, its pages would say 404.
	// Mend: name the script as `front-controller` in the plan.
	// Severity: error.
	//
	//	.htaccess: RewriteRule . /index.php [L]
	FrontUnnamed Code = "front-controller-unnamed"

	// ExistingUncertain: it can't be told beforehand what a rule in the server's file does.
	//
	// Why: it may meet the plan's addresses.
	// Mend: try the installation with `--trial`, and ask for the addresses that are named.
	// Severity: note.
	//
	//	.htaccess: RewriteCond %{TIME_HOUR} >22
	ExistingUncertain Code = "existing-uncertain"

	// RewritingOff: the server's file says something that switches the plan's rules or its script off.
	//
	// Why: the plan doesn't count, or the text of the script is shown.
	// Mend: take that line out of the file.
	// Severity: error.
	//
	//	.htaccess: RewriteEngine Off
	RewritingOff Code = "rewriting-off"

	// NoSecureListener: the server's file says nothing of https, and the plan leads everybody there.
	//
	// Why: visitors are led to where nobody answers, unless another file of the server does.
	// Mend: let the server listen on https, with a certificate, before the plan is installed.
	// Severity: warning.
	//
	//	server { listen 80; }
	NoSecureListener Code = "no-secure-listener"

	// UnmadePages: pages have new addresses, and the plan doesn't say what makes them there.
	//
	// Why: where the content system doesn't answer at the new addresses, all redirects lead to an error.
	// Mend: switch the content system's own setting for addresses; else name its script as `front-controller`, or write
	// rules with `serve`.
	// Severity: note.
	//
	//	/shop/island-jumper, which was /shop.php?id=101
	UnmadePages Code = "unmade-pages"

	// ProxyEndsTLS: the server is asked over http where visitors ask over https.
	//
	// Why: leading to https then leads every page round in a circle.
	// Mend: name the proxy's addresses in `trusted-proxies` under `site`, and emit again.
	// Severity: error.
	//
	//	.htaccess: RewriteCond %{HTTP:X-Forwarded-Proto} !https
	ProxyEndsTLS Code = "proxy-ends-tls"

	// UnreadRule: a rule of a per-folder file is no row of a list of redirects.
	//
	// Why: what it does isn't taken over.
	// Mend: write its rows by hand, if they are wanted, or leave it where it is.
	// Severity: warning.
	//
	//	RedirectMatch 301 old /new
	UnreadRule Code = "unread-rule"

	// FileInWay: a real file lies under an address about which the plan decides.
	//
	// Why: some servers send the file, and don't ask the plan.
	// Mend: delete or rename the file, or use `--guard full`.
	// Severity: warning.
	//
	//	/old.html is redirected, and lies in the document root
	FileInWay Code = "file-in-way"
)

// The live site, hop by hop.
const (
	// NoAnswer: an address doesn't answer.
	//
	// Why: nobody knows what visitors get.
	// Mend: ask again; if it stays so, look at the server.
	// Severity: error.
	//
	//	connection refused
	NoAnswer Code = "no-answer"

	// NotRedirected: an address answers by itself where the plan redirects it.
	//
	// Why: who has the old address stays there.
	// Mend: install the plan's rules: `emit`.
	// Severity: error.
	//
	//	/old answers 200; the plan says 301
	NotRedirected Code = "not-redirected"

	// WrongTarget: a hop leads elsewhere than the plan says.
	//
	// Why: visitors arrive at another page.
	// Mend: install the plan's rules anew, or correct the rule that answers first.
	// Severity: error.
	//
	//	/old leads to /; the plan says /routes
	WrongTarget Code = "wrong-target"

	// MoreHops: a way goes on where the plan ends it.
	//
	// Why: each further hop costs time.
	// Mend: let the first hop lead to the last address; a rule of the server's own adds the others.
	// Severity: error.
	//
	//	/a leads to /b, and /b to /c
	MoreHops Code = "more-hops"

	// WrongAnswer: a way ends with another status than the plan says.
	//
	// Why: a page is missing, or one that is gone is served.
	// Mend: install the plan's rules anew, or bring the page back.
	// Severity: error.
	//
	//	404; the plan says 200
	WrongAnswer Code = "wrong-answer"

	// FinalNotCanonical: the page at the end of a way names another canonical address than the plan.
	//
	// Why: search engines keep the wrong address.
	// Mend: write the plan's address into the page's canonical link: `emit head`.
	// Severity: error.
	//
	//	it names http://; the plan says https://
	FinalNotCanonical Code = "final-not-canonical"

	// ManyAddresses: a page answers at several addresses.
	//
	// Why: search engines take them for several pages.
	// Mend: let all but one redirect; `emit` writes the rules.
	// Severity: error.
	//
	//	/routes and /routes/ both answer 200
	ManyAddresses Code = "many-addresses"
)

// Canonical links.
const (
	// NoCanonical: a page names no canonical address.
	//
	// Why: every address that shows it may then be taken for it.
	// Mend: write the canonical link into the page's head: `emit head`.
	// Severity: warning.
	//
	//	no <link rel="canonical">
	NoCanonical Code = "no-canonical"

	// SeveralCanonicals: a page names several canonical addresses.
	//
	// Why: search engines then believe none of them.
	// Mend: leave one of them, in the head or in the header.
	// Severity: error.
	//
	//	two <link rel="canonical">
	SeveralCanonicals Code = "several-canonicals"

	// CanonicalOutsideHead: a canonical link is not in the head of the page.
	//
	// Why: only in the head it counts.
	// Mend: move the link into the head, in front of all that shows something.
	// Severity: error.
	//
	//	a <div> before it ended the head
	CanonicalOutsideHead Code = "canonical-outside-head"

	// CanonicalUnreadable: a canonical link names what is no address.
	//
	// Why: it counts for nothing.
	// Mend: write the page's whole address.
	// Severity: error.
	//
	//	href="http:///routes"
	CanonicalUnreadable Code = "canonical-unreadable"

	// CanonicalRelative: a canonical link is not written out with scheme and host.
	//
	// Why: it means something else on each host.
	// Mend: write the whole address, with scheme and host.
	// Severity: warning.
	//
	//	href="/routes"
	CanonicalRelative Code = "canonical-relative"

	// CanonicalRedirects: a canonical link names an address that redirects.
	//
	// Why: the link names an address that shows nothing.
	// Mend: name where that leads.
	// Severity: error.
	//
	//	it names /old
	CanonicalRedirects Code = "canonical-redirects"

	// CanonicalNotFound: a canonical link names an address that no page answers.
	//
	// Why: the page may leave the index with it.
	// Mend: name an address that is there.
	// Severity: error.
	//
	//	it names a 404
	CanonicalNotFound Code = "canonical-not-found"

	// CanonicalNoindex: a canonical link names a page that says noindex.
	//
	// Why: neither of both is shown then.
	// Mend: take one of the two away: the noindex, or the link.
	// Severity: error.
	//
	//	it names /search
	CanonicalNoindex Code = "canonical-noindex"

	// CanonicalBlocked: a canonical link names what robots.txt blocks.
	//
	// Why: a search engine never sees what stands there.
	// Mend: let robots.txt allow it.
	// Severity: error.
	//
	//	Disallow: /routes
	CanonicalBlocked Code = "canonical-blocked"

	// CanonicalInsecure: a canonical link on https names an address on http.
	//
	// Why: the link names an address that leads back.
	// Mend: write https there.
	// Severity: error.
	//
	//	href="http://..."
	CanonicalInsecure Code = "canonical-insecure"

	// CanonicalForeign: a canonical link names another host.
	//
	// Why: search engines then show that site instead.
	// Mend: name the page's own address, or list the host under `known` where the page is meant to live there.
	// Severity: warning.
	//
	//	href="https://other.example/a"
	CanonicalForeign Code = "canonical-foreign"

	// CanonicalChain: a canonical link names a page that names another.
	//
	// Why: search engines don't follow chains of canonical links.
	// Mend: name the last of them.
	// Severity: error.
	//
	//	/a names /b, which names /c
	CanonicalChain Code = "canonical-chain"

	// CanonicalCircle: two pages name each other as canonical.
	//
	// Why: neither is then the canonical one.
	// Mend: choose one of the two, and let both name it.
	// Severity: error.
	//
	//	/a names /b, which names /a
	CanonicalCircle Code = "canonical-circle"

	// CanonicalLanguage: a translation names the page of another language as canonical.
	//
	// Why: it vanishes from the index.
	// Mend: name the page's own address; translations are named by hreflang.
	// Severity: error.
	//
	//	/de/x names /x
	CanonicalLanguage Code = "canonical-language"

	// CanonicalFirstPage: a later page of a list names the first one as canonical.
	//
	// Why: what stands on later pages alone is not found.
	// Mend: let each page of a list name itself.
	// Severity: error.
	//
	//	?page=2 names the first page
	CanonicalFirstPage Code = "canonical-first-page"

	// SeriesBroken: a page of a list names a next or previous page that isn't one.
	//
	// Why: crawlers lose their way through the list.
	// Mend: name the page that follows, or take the link out.
	// Severity: warning.
	//
	//	<link rel="next" href="/notices?page=3">, which names no page before it
	SeriesBroken Code = "series-broken"

	// CanonicalAgainstPlan: a page names another canonical address than the plan says.
	//
	// Why: site and plan contradict each other.
	// Mend: write the plan's address: `emit head`.
	// Severity: error.
	//
	//	it names /Routes; the plan says /routes
	CanonicalAgainstPlan Code = "canonical-against-plan"

	// DuplicateContent: several addresses show the same text, and nobody chose one.
	//
	// Why: search engines choose by themselves.
	// Mend: let all redirect to one, or let all name it as canonical.
	// Severity: error.
	//
	//	/a and /a?print=1
	DuplicateContent Code = "duplicate-content"

	// NearDuplicate: several addresses show nearly the same text.
	//
	// Why: search engines may take them for one.
	// Mend: say on each what is different, or choose one as for the same text.
	// Severity: warning.
	//
	//	/ports/a and /ports/b
	NearDuplicate Code = "near-duplicate"

	// Copied: a page on another host shows the text of one of the site's.
	//
	// Why: search engines may take the copy for the original.
	// Mend: ask for a canonical link there, or for the removal of the copy.
	// Severity: warning.
	//
	//	copy.example
	Copied Code = "copied"

	// CopiedWithCredit: a page on another host shows the text of one of the site's, and names it as canonical.
	//
	// Why: all is well with it.
	// Mend: nothing, if the copy is wanted.
	// Severity: note.
	//
	//	copy.example names it
	CopiedWithCredit Code = "copied-with-credit"
)

// What links and redirects of the live site lead to.
const (
	// RedirectLoop: an address redirects round in a circle.
	//
	// Why: a visitor never arrives.
	// Mend: find the two rules that lead to each other, and take one out.
	// Severity: error.
	//
	//	/a -> /b -> /a
	RedirectLoop Code = "redirect-loop"

	// RedirectUnreadable: an address redirects to what is no http or https address.
	//
	// Why: browsers show an error.
	// Mend: write a whole http or https address.
	// Severity: error.
	//
	//	Location: javascript:
	RedirectUnreadable Code = "redirect-unreadable"

	// RedirectPrivate: an address redirects to where nobody outside can get.
	//
	// Why: visitors see an error.
	// Mend: lead it to a public address.
	// Severity: error.
	//
	//	Location: http://10.0.0.7/
	RedirectPrivate Code = "redirect-private"

	// RedirectForeign: an address redirects to a host that the plan doesn't know.
	//
	// Why: visitors leave the site.
	// Mend: list the host under `known` of the plan, or take the redirect out.
	// Severity: warning.
	//
	//	Location: https://other.example/
	RedirectForeign Code = "redirect-foreign"

	// FindingsLeftOut: so much is wrong in one way that not all of it is told.
	//
	// Why: what is left out is as wrong as what is told.
	// Mend: mend the cause of those that are told, and probe again.
	// Severity: error.
	//
	//	240000 more findings: alternate-without-return
	FindingsLeftOut Code = "findings-left-out"

	// EndlessLinks: links lead on and on.
	//
	// Why: crawlers of search engines lose their time here.
	// Mend: stop the links that lead on, such as those of a calendar, at some end.
	// Severity: warning.
	//
	//	/calendar?day=1, 2, 3, ...
	EndlessLinks Code = "endless-links"

	// ExternalBroken: a link leads to a page of another site that isn't there.
	//
	// Why: visitors get an error.
	// Mend: correct the link, or take it out.
	// Severity: warning.
	//
	//	https://other.example/gone answers 404
	ExternalBroken Code = "external-broken"
)

// Parameters.
const (
	// ParameterDuplicates: a parameter makes pages of their own that show what is there without it.
	//
	// Why: a search engine finds each page many times.
	// Mend: let each name the address without the parameter as canonical, and give the parameter its class in the
	// plan.
	// Severity: error.
	//
	//	/list?ref=a
	ParameterDuplicates Code = "parameter-duplicates"

	// ParameterOrder: another order of the same parameters is another address for the same page.
	//
	// Why: a search engine finds each page many times.
	// Mend: let the site write its parameters in one order; the plan's rules bring others to it.
	// Severity: warning.
	//
	//	?a=1&b=2 and ?b=2&a=1
	ParameterOrder Code = "parameter-order"

	// ParameterUnclassified: the plan gives a parameter no class.
	//
	// Why: nobody knows whether it makes duplicates.
	// Mend: give the parameter its class under `parameters` of the plan.
	// Severity: warning.
	//
	//	?ref=mail
	ParameterUnclassified Code = "parameter-unclassified"

	// ParameterClass: the site treats a parameter otherwise than its class says.
	//
	// Why: plan and site contradict each other.
	// Mend: correct the class in the plan, or what the site does.
	// Severity: warning.
	//
	//	sort changes the page's text
	ParameterClass Code = "parameter-class"

	// ParameterUnused: the plan declares a parameter that was met nowhere.
	//
	// Why: it may be misspelt.
	// Mend: gather logs of a longer time, or delete the parameter from the plan.
	// Severity: note.
	//
	//	noise: [sessid]
	ParameterUnused Code = "parameter-unused"
)

// Languages.
const (
	// WrongLanguageCode: a language code is none of BCP 47 and ISO.
	//
	// Why: search engines leave the link out.
	// Mend: write the code of BCP 47 that the message names.
	// Severity: error.
	//
	//	hreflang="en-UK"
	WrongLanguageCode Code = "wrong-language-code"

	// DoubtfulLanguageCode: a language code means something else than is probably meant.
	//
	// Why: search engines show the page to others.
	// Mend: write the code of the language that is meant.
	// Severity: warning.
	//
	//	hreflang="se"
	DoubtfulLanguageCode Code = "doubtful-language-code"

	// AlternateWithoutReturn: a translation doesn't name the page that names it.
	//
	// Why: search engines leave the link out.
	// Mend: name the page in its translation too.
	// Severity: error.
	//
	//	/x names /de/x, which doesn't name /x
	AlternateWithoutReturn Code = "alternate-without-return"

	// AlternateWithoutSelf: a page names its translations, but not itself.
	//
	// Why: each page of a cluster names all, itself too.
	// Mend: let the page name itself among its translations.
	// Severity: warning.
	//
	//	/x names /de/x alone
	AlternateWithoutSelf Code = "alternate-without-self"

	// AlternateAlone: a page names itself alone, though there are translations.
	//
	// Why: visitors are not led to their own language.
	// Mend: name the translations: `emit head`.
	// Severity: warning.
	//
	//	/x names /x alone
	AlternateAlone Code = "alternate-alone"

	// AlternatesTooMany: a page names more translations than are looked at.
	//
	// Why: a page of a site has one for each language; so many cost its visitors time, and what is wrong with the last
	// ones stays unknown.
	// Mend: name the translations of this page alone.
	// Severity: warning.
	//
	//	20000 links with hreflang
	AlternatesTooMany Code = "alternates-too-many"

	// LanguageTwice: a page names two addresses for one language.
	//
	// Why: search engines believe neither.
	// Mend: leave one of the two.
	// Severity: error.
	//
	//	two links with hreflang="de"
	LanguageTwice Code = "language-twice"

	// NoXDefault: no page names one for visitors of all other languages.
	//
	// Why: they get any.
	// Mend: name the address that all others are to get: `emit head`.
	// Severity: note.
	//
	//	no hreflang="x-default"
	NoXDefault Code = "no-x-default"

	// DefaultLanguageTwice: the default language is at two addresses.
	//
	// Why: all its pages are there twice.
	// Mend: let the address with the prefix redirect to the one without.
	// Severity: error.
	//
	//	/ and /en
	DefaultLanguageTwice Code = "default-language-twice"

	// AlternateRedirects: a link to a translation names an address that redirects.
	//
	// Why: search engines leave the link out.
	// Mend: name where that leads.
	// Severity: error.
	//
	//	hreflang="de" of /old-de
	AlternateRedirects Code = "alternate-redirects"

	// AlternateNotFound: a link to a translation names an address that no page answers.
	//
	// Why: search engines leave the link out.
	// Mend: name an address that is there, or take the link out.
	// Severity: error.
	//
	//	hreflang="de" of a 404
	AlternateNotFound Code = "alternate-not-found"

	// AlternateNoindex: a link to a translation names a page that says noindex.
	//
	// Why: it is never shown.
	// Mend: take the noindex away, or the link.
	// Severity: error.
	//
	//	hreflang="de" of /de/search
	AlternateNoindex Code = "alternate-noindex"

	// AlternateNotCanonical: a link to a translation names an address that isn't canonical.
	//
	// Why: search engines leave the link out.
	// Mend: name the translation's canonical address.
	// Severity: error.
	//
	//	hreflang="de" of /de/x?print=1
	AlternateNotCanonical Code = "alternate-not-canonical"

	// AlternateLanguage: a link to a translation names a page in another language than it says.
	//
	// Why: visitors can't read what they get.
	// Mend: name the page in that language, or write its code.
	// Severity: error.
	//
	//	hreflang="de" of an English page
	AlternateLanguage Code = "alternate-language"

	// AlternateUnreadable: a link to a translation names what is no address.
	//
	// Why: it counts for nothing.
	// Mend: write the translation's whole address.
	// Severity: error.
	//
	//	href="http:///de"
	AlternateUnreadable Code = "alternate-unreadable"

	// AlternateRelative: a link to a translation is not written out with scheme and host.
	//
	// Why: it means something else on each host.
	// Mend: write the whole address, with scheme and host.
	// Severity: warning.
	//
	//	href="/de/x"
	AlternateRelative Code = "alternate-relative"

	// AlternateOutsideHead: links to translations are not in the head of the page.
	//
	// Why: only in the head they count.
	// Mend: move the links into the head, in front of all that shows something.
	// Severity: error.
	//
	//	a <div> before them ended the head
	AlternateOutsideHead Code = "alternate-outside-head"

	// AlternateInText: links to translations stand in the text alone.
	//
	// Why: search engines read those of the head.
	// Mend: name the translations in the head, in headers or in the sitemap: `emit head`.
	// Severity: note.
	//
	//	<a hreflang="de">
	AlternateInText Code = "alternate-in-text"

	// LanguageDisagrees: a page says in two places that it is in different languages.
	//
	// Why: readers' programs pronounce it wrongly.
	// Mend: say the language in one way: in the attribute lang.
	// Severity: warning.
	//
	//	<html lang="en"> and Content-Language: de
	LanguageDisagrees Code = "language-disagrees"

	// LanguageAgainstPlan: a page says another language than the plan.
	//
	// Why: search engines show it to others.
	// Mend: correct the page's lang, or the column language of pages.csv.
	// Severity: error.
	//
	//	<html lang="en"> at /de/x
	LanguageAgainstPlan Code = "language-against-plan"
)

// https.
const (
	// CertificateInvalid: a certificate is not valid.
	//
	// Why: browsers warn everybody away.
	// Mend: get a certificate for all of the site's hosts.
	// Severity: error.
	//
	//	it is for another host
	CertificateInvalid Code = "certificate-invalid"

	// CertificateEnds: a certificate ends soon.
	//
	// Why: browsers will warn everybody away.
	// Mend: renew it, and see to it that this happens by itself.
	// Severity: warning.
	//
	//	in nine days
	CertificateEnds Code = "certificate-ends"

	// NoHTTPS: a host doesn't answer on https.
	//
	// Why: browsers warn everybody away.
	// Mend: let the server answer on https.
	// Severity: error.
	//
	//	connection refused on port 443
	NoHTTPS Code = "no-https"

	// NoHTTPSRedirect: an address on http is not led to https.
	//
	// Why: what visitors write can be read on its way.
	// Mend: install the plan's rules: `emit`.
	// Severity: error.
	//
	//	http://skerrywick.example/ answers 200
	NoHTTPSRedirect Code = "no-https-redirect"

	// HTTPSElsewhere: an address on http is led to another page on https.
	//
	// Why: who has the old address loses the page.
	// Mend: let http lead to the same address on https.
	// Severity: error.
	//
	//	all leads to the home page
	HTTPSElsewhere Code = "https-elsewhere"

	// HTTPSInSeveralHops: an address on http is led to https in several hops.
	//
	// Why: each further hop costs time.
	// Mend: let the first hop lead to the last address: `emit` writes such rules.
	// Severity: warning.
	//
	//	http, http with www, https
	HTTPSInSeveralHops Code = "https-in-several-hops"

	// HTTPSTemporary: an address on http is led to https for now only.
	//
	// Why: search engines keep the old address.
	// Mend: answer 301 or 308.
	// Severity: warning.
	//
	//	302
	HTTPSTemporary Code = "https-temporary"

	// NoHSTS: the header Strict-Transport-Security isn't there.
	//
	// Why: a visitor's first request may go out on http, for anybody to read.
	// Mend: add a rule to the plan once everything is on https:
	// `{for: [/], headers: {Strict-Transport-Security: "max-age=31536000"}}`.
	// Severity: warning.
	//
	//	RFC 6797
	NoHSTS Code = "no-hsts"

	// ShortHSTS: Strict-Transport-Security is for a short time only.
	//
	// Why: it protects those alone who come often.
	// Mend: raise max-age to a year once nothing breaks.
	// Severity: note.
	//
	//	max-age=300
	ShortHSTS Code = "short-hsts"

	// MixedContent: a page on https loads something on http.
	//
	// Why: browsers block it.
	// Mend: write https there.
	// Severity: error.
	//
	//	<img src="http://...">
	MixedContent Code = "mixed-content"

	// InsecureForm: a page sends a form to http.
	//
	// Why: what visitors write can be read on its way.
	// Mend: write https in the form's action.
	// Severity: error.
	//
	//	<form action="http://...">
	InsecureForm Code = "insecure-form"

	// InsecureCookie: a page that asks for a password sets a cookie without Secure.
	//
	// Why: the cookie can be read on its way.
	// Mend: set the cookie with Secure.
	// Severity: error.
	//
	//	Set-Cookie: sid=1
	InsecureCookie Code = "insecure-cookie"

	// LinkInsecure: a page on https links to the site's own addresses on http.
	//
	// Why: each click is a hop, and can be read.
	// Mend: write https there; `relink` does so.
	// Severity: warning.
	//
	//	<a href="http://...">
	LinkInsecure Code = "link-insecure"

	// FeedInsecure: a feed is named on http, or names entries on http.
	//
	// Why: each reader makes a hop.
	// Mend: write https there; `relink` does so.
	// Severity: warning.
	//
	//	<link rel="alternate" href="http://...">
	FeedInsecure Code = "feed-insecure"
)

// What is in an index.
const (
	// NoindexBlocked: a page says noindex, and robots.txt blocks it.
	//
	// Why: the noindex is never seen, so that the address stays in the index.
	// Mend: let robots.txt allow it until it has left the index, and block it then.
	// Severity: error.
	//
	//	Disallow: /search
	NoindexBlocked Code = "noindex-blocked"

	// LiveNoindex: a live page says noindex.
	//
	// Why: nobody finds it by searching.
	// Mend: take the noindex away, or note it in the column robots of pages.csv.
	// Severity: error.
	//
	//	X-Robots-Tag: noindex
	LiveNoindex Code = "live-noindex"

	// RobotsUnavailable: robots.txt doesn't answer.
	//
	// Why: crawlers then take everything for forbidden (RFC 9309 section 2.3.1.4).
	// Mend: let robots.txt answer 200, or 404 where there is none.
	// Severity: error.
	//
	//	it answers 503
	RobotsUnavailable Code = "robots-unavailable"

	// RobotsTooLong: robots.txt is longer than 500 KiB.
	//
	// Why: what stands behind isn't read (RFC 9309 section 2.5).
	// Mend: shorten it: what stands behind is not read.
	// Severity: warning.
	//
	//	600 KiB
	RobotsTooLong Code = "robots-too-long"

	// LeftOut: a page, or something of it, isn't told to search engines by what is written from the plan.
	//
	// Why: it is missing in sitemaps, or from what the heads of pages say.
	// Mend: correct what the message names in pages.csv or in the plan, if it is to be told.
	// Severity: warning.
	//
	//	modified: last Tuesday
	LeftOut Code = "left-out"

	// BlockMissing: the plan keeps crawlers from addresses that the site's robots.txt lets them ask for.
	//
	// Why: crawlers spend their time there, and list what nobody should find.
	// Mend: write the lines of `emit robots` into robots.txt.
	// Severity: warning.
	//
	//	blocked: [/search], and robots.txt has no such line
	BlockMissing Code = "block-missing"

	// BlockedPage: the plan keeps crawlers from a page that they are to list, or whose noindex they are to see.
	//
	// Why: what isn't asked for can't be read: neither its text, nor its noindex.
	// Mend: take the block out of the plan, or the page out of the sitemap.
	// Severity: warning.
	//
	//	blocked: [/ports], and the live page /ports/kvitsund
	BlockedPage Code = "blocked-page"

	// SitemapDiffers: the site's sitemap says something else of a page than the plan does.
	//
	// Why: it was made from an older plan, or by something else.
	// Mend: write the sitemap anew: `emit sitemap`.
	// Severity: warning.
	//
	//	the sitemap has no German translation of /ports/kvitsund
	SitemapDiffers Code = "sitemap-differs"

	// AlternateMissing: a page doesn't name a translation that the plan has.
	//
	// Why: visitors aren't led to their own language.
	// Mend: name the translation: `emit head`.
	// Severity: warning.
	//
	//	/ports/kvitsund names no page for x-default
	AlternateMissing Code = "alternate-missing"

	// StagingOpen: a staging host answers everybody.
	//
	// Why: search engines find it, and show the site twice.
	// Mend: ask for a password there.
	// Severity: error.
	//
	//	staging.skerrywick.example answers 200
	StagingOpen Code = "staging-open"

	// SitemapUnreadable: a sitemap can't be read.
	//
	// Why: search engines leave it out.
	// Mend: write the sitemap anew: `emit sitemap`.
	// Severity: error.
	//
	//	no XML
	SitemapUnreadable Code = "sitemap-unreadable"

	// SitemapEntry: an entry of a sitemap can't be read.
	//
	// Why: search engines leave it out.
	// Mend: correct the entry, or write the sitemap anew: `emit sitemap`.
	// Severity: warning.
	//
	//	<loc>/routes</loc>
	SitemapEntry Code = "sitemap-entry"

	// SitemapTooLarge: a sitemap has more than 50,000 entries or 50 MiB.
	//
	// Why: search engines leave it out.
	// Mend: part it: `emit sitemap` does.
	// Severity: error.
	//
	//	60,000 entries
	SitemapTooLarge Code = "sitemap-too-large"

	// SitemapNotNamed: robots.txt doesn't name a sitemap.
	//
	// Why: search engines may not know of it.
	// Mend: write its line into robots.txt: `emit robots`.
	// Severity: warning.
	//
	//	no line Sitemap:
	SitemapNotNamed Code = "sitemap-not-named"

	// SitemapForeign: a sitemap lists an address on another host.
	//
	// Why: search engines leave it out.
	// Mend: list the site's own addresses only.
	// Severity: error.
	//
	//	https://other.example/
	SitemapForeign Code = "sitemap-foreign"

	// SitemapInsecure: a sitemap lists an address on http.
	//
	// Why: search engines keep the old address.
	// Mend: list the address on https.
	// Severity: error.
	//
	//	http://skerrywick.example/
	SitemapInsecure Code = "sitemap-insecure"

	// SitemapRedirects: a sitemap lists an address that redirects.
	//
	// Why: search engines learn what shows nothing.
	// Mend: list where that leads.
	// Severity: error.
	//
	//	/old
	SitemapRedirects Code = "sitemap-redirects"

	// SitemapMissing: a sitemap lists an address that no page answers.
	//
	// Why: search engines ask in vain.
	// Mend: leave it out.
	// Severity: error.
	//
	//	a 404
	SitemapMissing Code = "sitemap-missing"

	// SitemapNoindex: a sitemap lists a page that says noindex.
	//
	// Why: it says two things at once.
	// Mend: leave it out, or take the noindex away.
	// Severity: error.
	//
	//	/search
	SitemapNoindex Code = "sitemap-noindex"

	// SitemapBlocked: a sitemap lists what robots.txt blocks.
	//
	// Why: it says two things at once.
	// Mend: leave it out, or let robots.txt allow it.
	// Severity: error.
	//
	//	/private
	SitemapBlocked Code = "sitemap-blocked"

	// SitemapNotCanonical: a sitemap lists an address that isn't canonical.
	//
	// Why: search engines learn the wrong one.
	// Mend: list the canonical address.
	// Severity: error.
	//
	//	/routes?print=1
	SitemapNotCanonical Code = "sitemap-not-canonical"

	// NotInSitemap: a live page is in no sitemap.
	//
	// Why: search engines find it late.
	// Mend: write the sitemap anew: `emit sitemap`.
	// Severity: warning.
	//
	//	/routes
	NotInSitemap Code = "not-in-sitemap"
)

// Links in content.
const (
	// StepsOpen: fewer steps of a job are done than were wanted.
	//
	// Why: visitors and search engines meet the site half changed.
	// Mend: do the step that is named as the next one.
	// Severity: error.
	//
	//	steps https --at-least 100
	StepsOpen Code = "steps-open"

	// LinkRedirected: pages of the site link to addresses that redirect for good.
	//
	// Why: each click is a hop, and search engines see the site contradict itself.
	// Mend: write the final address; `relink` does so.
	// Severity: warning.
	//
	//	<a href="/ferrytimes.htm">
	LinkRedirected Code = "link-redirected"

	// LinkGone: a link in the site's content leads to what is gone for good.
	//
	// Why: whoever follows it finds nothing.
	// Mend: take the link out, or lead it to what took its place.
	// Severity: warning.
	//
	//	<a href="/ports/old-quay">, of which the plan says 410
	LinkGone Code = "link-gone"

	// LinkUnknown: a link in the site's content leads to an address that no page has.
	//
	// Why: whoever follows it finds nothing, or what the plan doesn't know.
	// Mend: correct the link, or give the address an answer: `redirects add`.
	// Severity: note.
	//
	//	<a href="/nowhere">
	LinkUnknown Code = "link-unknown"

	// LinkTemporary: a link in the site's content leads to an address that is redirected for now.
	//
	// Why: the address is right and comes back, so that the link stays.
	// Mend: leave it, as long as the page comes back.
	// Severity: note.
	//
	//	<a href="/ports">, with /ports,/notices/storm,302
	LinkTemporary Code = "link-temporary"

	// LinkUnplaced: a link is relative, and nothing says where its document stands.
	//
	// Why: nobody can tell where it leads.
	// Mend: say where the document stands: `--base`.
	// Severity: note.
	//
	//	<a href="tides.html">, without --base
	LinkUnplaced Code = "link-unplaced"

	// BrokenValue: a serialised value isn't as PHP writes it.
	//
	// Why: its lengths can't be made right, so that it stays as it is.
	// Mend: mend the value with the program that wrote it.
	// Severity: warning.
	//
	//	s:5:"https://skerrywick.example/";
	BrokenValue Code = "broken-value"

	// FileLeft: a file can't be read or written, or a link in it can't be.
	//
	// Why: its links stay as they are.
	// Mend: see to what the message names, and run relink again.
	// Severity: error.
	//
	//	a file that was changed while it was read
	FileLeft Code = "file-left"

	// RowLeft: a row of a database isn't changed.
	//
	// Why: its links stay as they are.
	// Mend: see to what the message names, and run relink again.
	// Severity: error.
	//
	//	a row that another client changed meanwhile, a text that is too long for its column
	RowLeft Code = "row-left"
)
