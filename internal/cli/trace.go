package cli

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net/netip"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/term"
)

// traced is what trace says of one URL.
type traced struct {
	Input       string     `json:"input"`
	Request     string     `json:"request,omitempty"`
	Error       string     `json:"error,omitempty"`
	Answer      string     `json:"answer,omitempty"`
	Hops        []plan.Hop `json:"hops"`
	Final       string     `json:"final,omitempty"`
	FinalStatus int        `json:"final_status,omitempty"`
	Canonical   string     `json:"canonical,omitempty"`
	Internal    string     `json:"internal,omitempty"`
	RetryAfter  int        `json:"retry_after,omitempty"`
	Headers     headers    `json:"headers"`
	Near        []near     `json:"near,omitempty"`

	trace plan.Trace
}

// headers are the fields of an answer.
type headers []plan.Field

// MarshalJSON writes an object with a member for each field, in the order in
// which the rules stand.
func (h headers) MarshalJSON() ([]byte, error) {
	b := []byte{'{'}
	for i, f := range h {
		if i > 0 {
			b = append(b, ',')
		}
		name, err := json.Marshal(f.Name)
		if err != nil {
			return nil, err
		}
		value, err := json.Marshal(f.Value)
		if err != nil {
			return nil, err
		}
		b = append(append(append(b, name...), ':'), value...)
	}
	return append(b, '}'), nil
}

// near is a rule that nearly decided on the request of a hop.
type near struct {
	Request string `json:"request"`
	plan.Near
}

// tracing is how requests are made.
type tracing struct {
	method, forwarded string
	client            netip.Addr
	explain           bool
}

func (a *app) traceCommand() *cobra.Command {
	var how tracing
	var client string
	c := &cobra.Command{
		Use:   "trace URL...|-",
		Short: "Say what the plan answers, hop by hop, and why",
		Long: `Reads files only. Follows each URL through the plan and names the line behind
every hop. A path stands for itself on the site's origin. With - the URLs are read
from standard input, one a line; --format ndjson writes a line for each.
--explain also lists the rules that nearly matched, and why they did not.`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, urls []string) error {
			if client != "" {
				var err error
				if how.client, err = netip.ParseAddr(client); err != nil {
					return fmt.Errorf("--client: %s is not an IP address", address.Printable(client))
				}
			}
			p, found, err := a.load()
			if err != nil {
				return err
			}
			if urls[0] == "-" && len(urls) == 1 {
				return a.traceLines(p, how)
			}
			r := report{findings: only(found, finding.BadRow), name: "traces"}
			var items []traced
			for _, url := range urls {
				t := follow(p, how, url)
				if t.Error != "" {
					r.findings = append(r.findings, finding.Finding{Code: finding.Untraceable, Severity: finding.Error,
						Where: finding.Place{URL: url}, What: t.Error, Advice: "write an http(s) URL, or a path"})
				}
				items = append(items, t)
				r.rows = append(r.rows, t.row())
			}
			r.items, r.columns = items, []string{"input", "answer", "hops", "final", "status"}
			r.text = func(w io.Writer, style term.Style) error {
				for _, t := range items {
					if err := t.print(w, style); err != nil {
						return err
					}
				}
				return nil
			}
			if a.format == "ndjson" {
				for _, t := range items {
					if err := json.NewEncoder(&visibleJSON{w: a.stdout}).Encode(t); err != nil {
						return unfinished{err}
					}
				}
				return nil
			}
			return a.print(r)
		},
	}
	c.Flags().StringVar(&how.method, "method", "GET", "the request's method")
	c.Flags().StringVar(&client, "client", "", "the visitor's `IP` address, for maintenance and trusted proxies")
	c.Flags().StringVar(&how.forwarded, "forwarded", "",
		"the scheme that a proxy says it was asked by (X-Forwarded-Proto)")
	c.Flags().BoolVar(&how.explain, "explain", false, "list the rules that nearly matched, and why they did not")
	return c
}

// traceLines follows a URL for each line of standard input.
func (a *app) traceLines(p *plan.Plan, how tracing) error {
	out := bufio.NewWriter(a.stdout)
	encoder := json.NewEncoder(&visibleJSON{w: out})
	encoder.SetEscapeHTML(false)
	lines := bufio.NewScanner(a.stdin)
	lines.Buffer(make([]byte, 64<<10), 2*address.MaxLength)
	all, unread := 0, 0
	for lines.Scan() {
		if err := a.ctx.Err(); err != nil {
			return err
		}
		t := follow(p, how, lines.Text())
		if all++; t.Error != "" {
			unread++
		}
		var err error
		if a.format == "ndjson" || a.format == "json" {
			err = encoder.Encode(t)
		} else {
			err = t.print(out, a.style(a.stdout))
		}
		if err != nil {
			return unfinished{err}
		}
	}
	if err := lines.Err(); err != nil {
		return unfinished{fmt.Errorf("reading standard input: %w", err)}
	}
	if err := out.Flush(); err != nil {
		return unfinished{err}
	}
	if unread > 0 {
		a.say("%d of %d lines have no answer: see what stands at them; write an http(s) URL, or a path, on each", unread, all)
		return errFindings
	}
	return nil
}

func follow(p *plan.Plan, how tracing, url string) traced {
	t := traced{Input: url, Hops: []plan.Hop{}}
	full := url
	if strings.HasPrefix(url, "/") && !strings.HasPrefix(url, "//") {
		full = p.Site.Origin.Base() + url
	}
	r, err := plan.NewRequest(how.method, full)
	r.Client, r.Forwarded = how.client, how.forwarded
	if err == nil {
		t.Request = r.Address.String()
		t.trace, err = p.Trace(r)
	}
	if err != nil {
		t.Error = err.Error()
		return t
	}
	final := t.trace.Answer
	t.Answer, t.Final, t.FinalStatus, t.Canonical = string(final.Outcome), t.trace.Final.Address.String(), final.Status,
		final.Canonical
	t.Internal, t.RetryAfter, t.Headers = final.Internal, final.RetryAfter, final.Headers
	if how.explain {
		t.explain(p, r)
	}
	if len(t.trace.Hops) > 0 {
		t.Hops, t.Answer = t.trace.Hops, string(plan.Moved)
		t.Final = t.Hops[len(t.Hops)-1].To
	}
	return t
}

// explain lists what nearly decided: on what was asked, and, where no page is at
// the end, there.
func (t *traced) explain(p *plan.Plan, r plan.Request) {
	asked := []plan.Request{r}
	if t.trace.Answer.Outcome == plan.Unknown && p.SiteForm(t.trace.Final.Path) != p.SiteForm(r.Path) {
		asked = append(asked, t.trace.Final)
	}
	for _, r := range asked {
		for _, n := range p.Explain(r) {
			t.Near = append(t.Near, near{r.Address.String(), n})
		}
	}
}

func (t traced) row() []string {
	return []string{t.Input, t.Answer, fmt.Sprint(len(t.Hops)), t.Final, fmt.Sprint(t.FinalStatus)}
}

// print writes a trace for a person.
func (t traced) print(w io.Writer, style term.Style) error {
	if t.Error != "" {
		_, err := fmt.Fprintf(w, "%s\n", style.Bold(address.Printable(t.Input)))
		return err
	}
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	causes := func(list []plan.Cause) {
		for _, c := range list {
			line("       %s", style.Dim(address.Printable(fmt.Sprintf("%s:%d: %s", c.File, c.Line, c.Rule))))
		}
	}
	line("%s %s", t.trace.Request.Method, style.Bold(address.Printable(t.Request)))
	for _, hop := range t.trace.Hops {
		line("  %d  %s", hop.Status, address.Printable(hop.To))
		causes(hop.Causes)
	}
	final := t.trace.Answer
	status := fmt.Sprint(final.Status)
	if final.Status == 0 {
		status = "---"
	}
	outcome := string(final.Outcome)
	if final.Outcome == plan.Served {
		outcome = style.Bold(outcome)
	}
	line("  %s  %s", status, outcome)
	causes(final.Causes)
	if final.Canonical != "" && final.Canonical != t.trace.Final.Address.String() {
		line("       canonical %s", address.Printable(final.Canonical))
	}
	for _, f := range t.Headers {
		line("       %s", address.Printable(f.Name+": "+f.Value))
	}
	if t.RetryAfter > 0 {
		line("       Retry-After: %d", t.RetryAfter)
	}
	if t.Internal != "" {
		line("       made by %s", address.Printable(t.Internal))
	}
	for _, name := range final.Unclassified {
		line("       the plan gives the parameter %q no class", address.Printable(name))
	}
	asked := ""
	for _, n := range t.Near {
		if n.Request != asked {
			asked = n.Request
			line("  nearly, for %s", address.Printable(asked))
		}
		line("       %s", address.Printable(fmt.Sprintf("%s:%d: %s", n.File, n.Line, n.Rule)))
		line("         %s", style.Dim("not: "+address.Printable(n.Why)))
	}
	_, err := io.WriteString(w, b.String()+"\n")
	return err
}
