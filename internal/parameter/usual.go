package parameter

import "strings"

// Usual is what a name usually means, on most sites.
type Usual struct {
	Name  string // exact, or the beginning of a name when it ends in "*"; letters don't count
	Class Class
	What  string // who writes it, in a few words
	Vague bool   // on many sites it means something else: evidence has to speak for it
}

// Usuals returns the names that are known, the more particular ones first. docs/propose.md lists them.
func Usuals() []Usual {
	return []Usual{
		{"utm_*", Tracking, "campaign marks of analysis services", false},
		{"gclid", Tracking, "click marks of advertisements", false},
		{"gclsrc", Tracking, "click marks of advertisements", false},
		{"gbraid", Tracking, "click marks of advertisements", false},
		{"wbraid", Tracking, "click marks of advertisements", false},
		{"gad_*", Tracking, "click marks of advertisements", false},
		{"dclid", Tracking, "click marks of advertisements", false},
		{"msclkid", Tracking, "click marks of advertisements", false},
		{"fbclid", Tracking, "click marks of social networks", false},
		{"fb_*", Tracking, "click marks of social networks", false},
		{"twclid", Tracking, "click marks of social networks", false},
		{"ttclid", Tracking, "click marks of social networks", false},
		{"li_fat_id", Tracking, "click marks of social networks", false},
		{"igshid", Tracking, "click marks of social networks", false},
		{"igsh", Tracking, "click marks of social networks", false},
		{"epik", Tracking, "click marks of social networks", false},
		{"rdt_cid", Tracking, "click marks of social networks", false},
		{"sccid", Tracking, "click marks of social networks", false},
		{"yclid", Tracking, "click marks of advertisements", false},
		{"ysclid", Tracking, "click marks of advertisements", false},
		{"zanpid", Tracking, "click marks of partner programmes", false},
		{"irclickid", Tracking, "click marks of partner programmes", false},
		{"awc", Tracking, "click marks of partner programmes", false},
		{"ranmid", Tracking, "click marks of partner programmes", false},
		{"raneaid", Tracking, "click marks of partner programmes", false},
		{"ransiteid", Tracking, "click marks of partner programmes", false},
		{"affid", Tracking, "click marks of partner programmes", false},
		{"aff_id", Tracking, "click marks of partner programmes", false},
		{"affiliate", Tracking, "click marks of partner programmes", false},
		{"partner_id", Tracking, "click marks of partner programmes", false},
		{"clickid", Tracking, "click marks of partner programmes", false},
		{"click_id", Tracking, "click marks of partner programmes", false},
		{"_ga", Tracking, "visitor marks of analysis services", false},
		{"_gl", Tracking, "visitor marks of analysis services", false},
		{"mc_cid", Tracking, "marks of newsletters", false},
		{"mc_eid", Tracking, "marks of newsletters", false},
		{"_hsenc", Tracking, "marks of newsletters", false},
		{"_hsmi", Tracking, "marks of newsletters", false},
		{"mkt_tok", Tracking, "marks of newsletters", false},
		{"ml_subscriber*", Tracking, "marks of newsletters", false},
		{"vero_id", Tracking, "marks of newsletters", false},
		{"newsletter", Tracking, "marks of newsletters", true},
		{"pk_*", Tracking, "campaign marks of analysis services", false},
		{"mtm_*", Tracking, "campaign marks of analysis services", false},
		{"piwik_*", Tracking, "campaign marks of analysis services", false},
		{"matomo_*", Tracking, "campaign marks of analysis services", false},
		{"at_medium", Tracking, "campaign marks of analysis services", false},
		{"at_campaign", Tracking, "campaign marks of analysis services", false},
		{"s_cid", Tracking, "campaign marks of analysis services", false},
		{"wt_mc", Tracking, "campaign marks of analysis services", false},
		{"wt.mc_id", Tracking, "campaign marks of analysis services", false},
		{"campaign", Tracking, "campaign marks", true},
		{"campaignid", Tracking, "campaign marks", false},
		{"adgroupid", Tracking, "campaign marks", false},
		{"ref", Tracking, "where a visitor came from", true},
		{"referrer", Tracking, "where a visitor came from", false},
		{"source", Tracking, "where a visitor came from", true},

		{"phpsessid", Noise, "sessions", false},
		{"jsessionid", Noise, "sessions", false},
		{";jsessionid", Noise, "sessions, in the path", false},
		{";phpsessid", Noise, "sessions, in the path", false},
		{";sid", Noise, "sessions, in the path", false},
		{"aspsessionid*", Noise, "sessions", false},
		{"cfid", Noise, "sessions", false},
		{"cftoken", Noise, "sessions", false},
		{"sid", Noise, "sessions", false},
		{"sessid", Noise, "sessions", false},
		{"sessionid", Noise, "sessions", false},
		{"session_id", Noise, "sessions", false},
		{"session", Noise, "sessions", true},
		{"oscsid", Noise, "sessions", false},
		{"zenid", Noise, "sessions", false},
		{"xtcsid", Noise, "sessions", false},
		{"osid", Noise, "sessions", false},
		{"visitorid", Noise, "sessions", false},
		{"nocache", Noise, "to get around a store of copies", false},
		{"cachebuster", Noise, "to get around a store of copies", false},
		{"_", Noise, "to get around a store of copies", false},
		{"timestamp", Noise, "to get around a store of copies", true},
		{"rnd", Noise, "to get around a store of copies", true},

		{"page", Pagination, "pages of a list", true},
		{"paged", Pagination, "pages of a list", false},
		{"pg", Pagination, "pages of a list", true},
		{"pagenum", Pagination, "pages of a list", false},
		{"page_no", Pagination, "pages of a list", false},
		{"pageno", Pagination, "pages of a list", false},
		{"seite", Pagination, "pages of a list", true},
		{"pagina", Pagination, "pages of a list", true},
		{"offset", Pagination, "pages of a list", false},
		{"start", Pagination, "pages of a list", true},

		{"sort", Display, "the order of a list", false},
		{"sortby", Display, "the order of a list", false},
		{"sort_by", Display, "the order of a list", false},
		{"order", Display, "the order of a list", false},
		{"orderby", Display, "the order of a list", false},
		{"order_by", Display, "the order of a list", false},
		{"dir", Display, "the order of a list", true},
		{"direction", Display, "the order of a list", true},
		{"view", Display, "how a page is laid out", true},
		{"layout", Display, "how a page is laid out", false},
		{"display", Display, "how a page is laid out", true},
		{"mode", Display, "how a page is laid out", true},
		{"print", Display, "how a page is laid out", false},
		{"limit", Display, "how much a list shows", false},
		{"per_page", Display, "how much a list shows", false},
		{"perpage", Display, "how much a list shows", false},
		{"pagesize", Display, "how much a list shows", false},
		{"currency", Display, "the currency of prices", false},
		{"color", Display, "a filter of a list", true},
		{"colour", Display, "a filter of a list", true},
		{"size", Display, "a filter of a list", true},
		{"filter", Display, "a filter of a list", true},
		{"highlight", Display, "words that are marked", false},
	}
}

// UsualOf returns what a name usually means.
func UsualOf(name string) (Usual, bool) {
	name = strings.ToLower(name)
	for _, u := range Usuals() {
		p := Parameter{Name: u.Name}
		if p.Names(name) {
			return u, true
		}
	}
	return Usual{}, false
}
