//go:build linux

package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	dialogs "github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
	"young-compass/internal/report"
)

// run runs the program, and returns what it prints.
func run(t *testing.T, status int, args ...string) (stdout, stderr string) {
	t.Helper()
	var out, errors bytes.Buffer
	got := cli.Main(context.Background(), args, strings.NewReader(""), &out, &errors)
	require.Equal(t, status, got, "%v: %s%s", args, out.String(), errors.String())
	return out.String(), errors.String()
}

// browser is a real browser with one page open.
type browser struct {
	context.Context
	mu       sync.Mutex
	requests []string // but for the page itself
	said     []string // errors of the console, and dialogs
}

// open opens a file in headless Chromium; test.sh installs it.
func open(t *testing.T, file string, width, height int64, dark bool) *browser {
	t.Helper()
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.ExecPath("chromium"))
	allocated, end := chromedp.NewExecAllocator(t.Context(), options...)
	t.Cleanup(end)
	ctx, end := chromedp.NewContext(allocated)
	t.Cleanup(end)
	ctx, end = context.WithTimeout(ctx, time.Minute)
	t.Cleanup(end)
	b := &browser{Context: ctx}
	require.NoError(t, chromedp.Listen(ctx, func(event any) {
		b.mu.Lock()
		defer b.mu.Unlock()
		switch e := event.(type) {
		case *network.EventRequestWillBeSent:
			if !strings.HasSuffix(e.Request.URL, filepath.Base(file)) {
				b.requests = append(b.requests, e.Request.URL)
			}
		case *runtime.EventExceptionThrown:
			b.said = append(b.said, e.ExceptionDetails.Text)
		case *runtime.EventConsoleAPICalled:
			b.said = append(b.said, string(e.Type))
		case *log.EventEntryAdded:
			b.said = append(b.said, e.Entry.Text)
		case *dialogs.EventJavascriptDialogOpening:
			b.said = append(b.said, "dialog: "+e.Message)
		}
	}))
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	absolute, err := filepath.Abs(file)
	require.NoError(t, err)
	_, err = chromedp.Call(ctx, network.Enable, network.EnableParams{})
	require.NoError(t, err)
	_, err = chromedp.Call(ctx, log.Enable, cdp.Empty{})
	require.NoError(t, err)
	_, err = chromedp.Call(ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
		Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}})
	require.NoError(t, err)
	require.NoError(t, chromedp.Do(b, chromedp.EmulateViewport(width, height), chromedp.Navigate("file://"+absolute)))
	return b
}

// ask evaluates an expression in the page.
func ask[T any](t *testing.T, b *browser, script string) T {
	t.Helper()
	value, err := chromedp.Run(b, chromedp.Evaluate[T](script))
	require.NoError(t, err)
	return value
}

// quiet requires that nothing left the page, and that it complained of nothing.
func (b *browser) quiet(t *testing.T) {
	t.Helper()
	b.mu.Lock()
	defer b.mu.Unlock()
	assert.Empty(t, b.requests)
	assert.Empty(t, b.said)
}

// The scripts return what is wrong, in words.
const (
	// Each text must be told from its ground: 4.5 to 1, large text 3 to 1 (WCAG 2.2, 1.4.3).
	faintText = `(() => {
  const channel = v => { v /= 255; return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; };
  const light = c => 0.2126 * channel(c[0]) + 0.7152 * channel(c[1]) + 0.0722 * channel(c[2]);
  const numbers = s => s.match(/[\d.]+/g).map(Number);
  const wrong = [];
  for (const e of document.querySelectorAll("body *")) {
    const own = [...e.childNodes].some(n => n.nodeType === 3 && n.textContent.trim());
    if (!own || !e.getClientRects().length || e.closest("script,style")) continue;
    const style = getComputedStyle(e);
    const text = numbers(e.closest("svg") ? style.fill : style.color);
    let ground = [255, 255, 255];
    for (let at = e; at; at = at.parentElement) {
      const c = numbers(getComputedStyle(at).backgroundColor);
      if (c.length < 4 || c[3] > 0) { ground = c; break; }
    }
    const [a, b] = [light(text), light(ground)].sort((x, y) => y - x);
    const size = parseFloat(style.fontSize), large = size >= 24 || size >= 18.7 && style.fontWeight >= 700;
    if ((a + 0.05) / (b + 0.05) < (large ? 3 : 4.5)) wrong.push(e.tagName + " " + e.className + ": " + e.textContent.slice(0, 40));
  }
  return wrong;
})()`
	// One h1; no level is left out; and each section has a heading.
	headings = `(() => {
  const wrong = [];
  let last = 0;
  for (const h of document.querySelectorAll("h1,h2,h3,h4,h5,h6")) {
    const level = Number(h.tagName[1]);
    if (level > last + 1) wrong.push(h.textContent);
    last = level;
  }
  if (document.querySelectorAll("h1").length !== 1) wrong.push("not one h1");
  for (const s of document.querySelectorAll("section"))
    if (!document.getElementById(s.getAttribute("aria-labelledby"))) wrong.push("section " + s.id);
  return wrong;
})()`
	// Tables have a caption and headers with a scope; what can be operated has a name.
	tables = `(() => {
  const wrong = [];
  for (const t of document.querySelectorAll("table")) {
    if (!t.caption || !t.caption.textContent.trim()) wrong.push(t.id + ": no caption");
    for (const h of t.tHead.rows[0].cells) if (h.scope !== "col" || !h.textContent.trim()) wrong.push(t.id + ": a column");
    for (const r of t.tBodies[0].rows) if (r.cells[0].scope !== "row") wrong.push(t.id + ": a row");
  }
  for (const e of document.querySelectorAll("input,select")) if (!e.labels.length) wrong.push(e.id + ": no label");
  for (const e of document.querySelectorAll("svg")) if (e.ariaHidden !== "true" && e.getAttribute("role") !== "img") wrong.push("an svg");
  const ids = [...document.querySelectorAll("[id]")].map(e => e.id);
  ids.forEach((id, i) => { if (ids.indexOf(id) !== i) wrong.push("twice: " + id); });
  for (const a of document.querySelectorAll("a[href^='#']"))
    if (!document.getElementById(decodeURIComponent(a.hash.slice(1)))) wrong.push("link " + a.hash);
  return wrong;
})()`
	// Nothing is wider than the screen but what scrolls by itself.
	tooWide = `document.documentElement.scrollWidth <= innerWidth ? [] : [...document.querySelectorAll("body *")].filter(e =>
  e.getBoundingClientRect().right > innerWidth + 0.5 && !e.closest(".scroll")).map(e => e.tagName + ": " + e.textContent.slice(0, 60))`
)

// The report of the demo before the switch, after it and a year later, in a real browser, small and large, light and
// dark.
func TestReportsInABrowser(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "demo")
	run(t, 0, "demo", "--keep", dir)
	for _, name := range []string{"report-before.html", "report-after.html", "report-later.html"} {
		file := filepath.Join(dir, name)
		for _, width := range []int64{390, 1280} {
			for _, dark := range []bool{false, true} {
				t.Run(fmt.Sprint(name, " ", width, " dark ", dark), func(t *testing.T) {
					b := open(t, file, width, 800, dark)
					for _, script := range []string{faintText, headings, tables, tooWide} {
						assert.Empty(t, ask[[]string](t, b, script))
					}
					assert.Equal(t, report.IDs(), ask[[]string](t, b, `[...document.querySelectorAll("section")].map(s => s.id)`))
					b.quiet(t)
				})
			}
		}
	}
	t.Run("by keyboard", func(t *testing.T) { byKeyboard(t, filepath.Join(dir, "report-later.html")) })
	for name, want := range map[string]string{
		"report-before.html": "put the emitted rules into the server",
		"report-after.html":  "<strong>The content system&#39;s setting for addresses is switched</strong>",
		"report-later.html":  "A translation names the page of another language as canonical",
	} {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.Contains(t, strings.ToLower(string(data)), strings.ToLower(want), name)
	}
}

// byKeyboard filters findings, opens one, and shows all rows of a table.
func byKeyboard(t *testing.T, file string) {
	b := open(t, file, 1280, 800, false)
	const shown = `[...document.querySelectorAll(".places > li")].filter(e => !e.hidden && !e.closest("details").hidden).length`
	all := ask[int](t, b, shown)
	require.Greater(t, all, 20)
	require.NoError(t, chromedp.Do(b, chromedp.KeyEvent("/"), chromedp.KeyEvent("kvitsund code")))
	assert.Equal(t, "search", ask[string](t, b, "document.activeElement.id"))
	some := ask[int](t, b, shown)
	assert.True(t, some > 0 && some < all, "%d of %d", some, all)
	assert.Contains(t, ask[string](t, b, `document.getElementById("said").textContent`), fmt.Sprint(some, " finding"))
	require.NoError(t, chromedp.Do(b, chromedp.KeyEvent(kb.Escape)))
	assert.Equal(t, all, ask[int](t, b, shown))
	require.NoError(t, chromedp.Do(b, chromedp.KeyEvent(kb.Tab), chromedp.KeyEvent("warning")))
	warnings := ask[int](t, b, shown)
	assert.True(t, warnings > 0 && warnings < all, "%d of %d", warnings, all)

	closed := ask[string](t, b, `(() => { const d = [...document.querySelectorAll("details:not([open]):not([hidden])")][0];
		d.querySelector("summary").focus(); return d.id })()`)
	require.NoError(t, chromedp.Do(b, chromedp.KeyEvent(kb.Enter)))
	assert.True(t, ask[bool](t, b, `document.getElementById("`+closed+`").open`))
	const rows = `[...document.querySelectorAll("#redirects-2-table tbody tr")].filter(r => !r.hidden).length`
	assert.Equal(t, 15, ask[int](t, b, rows))
	ask[bool](t, b, `document.querySelector("#redirects button").focus(), true`)
	require.NoError(t, chromedp.Do(b, chromedp.KeyEvent(kb.Enter)))
	assert.Equal(t, 200, ask[int](t, b, rows))
	b.quiet(t)
}

// What a site says of itself never runs in the report, and is shown as it is.
func TestHostileReport(t *testing.T) {
	dir := t.TempDir()
	hostile := []string{`<script>pwned=1</script>`, `</script><script>pwned=2</script>`, `<img src=x onerror=pwned=3>`,
		`"><svg onload=pwned=4>`, `{{.}} ${pwned=5} <!-- `, "turned \u202e round", "nothing \u200b seen", "emoji 🚢⛴️ 広い海",
		`</style><style>body{display:none}`, strings.Repeat("long ", 1600) + "end", `javascript:pwned=6`, "'; pwned=7; '"}
	var pages, book strings.Builder
	pages.WriteString("key,language,kind,title,state\n")
	book.WriteString("address,page,state,since\n")
	quoted := func(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }
	for i, title := range hostile {
		fmt.Fprintf(&pages, "k%d,en,page,%s,live\n", i, quoted(title))
		fmt.Fprintf(&book, "https://skerrywick.example/%s,k%d@en,former,2026-11-01\n", quotedPath(title), i)
	}
	for name, content := range map[string]string{
		"young-compass.yaml": "site: {origin: \"https://skerrywick.example\"}\nlanguages: {default: en}\nkinds: {page: {address: \"/{slug}\"}}\n",
		"pages.csv":          pages.String(), "addresses.csv": book.String(),
		"redirects.csv": "from,to,status\n/x,/<script>pwned=8</script>,301\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644))
	}
	file := filepath.Join(dir, "report.html")
	var out, errors bytes.Buffer
	cli.Main(context.Background(), []string{"report", "--project", dir, "--output", file, "--title", hostile[1], "--figures",
		filepath.Join(dir, "figures")}, strings.NewReader(""), &out, &errors)
	require.FileExists(t, file, out.String()+errors.String())
	assert.NotContains(t, out.String()+errors.String(), "\u202e")
	b := open(t, file, 1280, 800, false)
	assert.Equal(t, "undefined", ask[string](t, b, "typeof pwned"))
	assert.Equal(t, hostile[1], ask[string](t, b, `document.querySelector("h1").textContent`))
	assert.Equal(t, "block", ask[string](t, b, "getComputedStyle(document.body).display"))
	assert.Empty(t, ask[[]string](t, b, tooWide))
	assert.Empty(t, ask[[]string](t, b, headings))
	b.quiet(t)
	svg := open(t, filepath.Join(dir, "figures", "redirects.svg"), 900, 600, false)
	assert.Equal(t, "undefined", ask[string](t, svg, "typeof pwned"))
	svg.quiet(t)
}

// quotedPath writes a text as a path segment.
func quotedPath(s string) string {
	var b strings.Builder
	for _, c := range []byte(s[:min(len(s), 60)]) {
		fmt.Fprintf(&b, "%%%02X", c)
	}
	return strings.ReplaceAll(b.String(), "%2F", "-")
}

// large writes a project with so many pages that have moved, as many visits, and a tenth as many findings.
func large(t *testing.T, dir string, n int) {
	t.Helper()
	var pages, book, rows, visits strings.Builder
	pages.WriteString("key,language,kind,title,state\n")
	book.WriteString("address,page,state,since\n")
	rows.WriteString("from,to,status\n")
	visits.WriteString("address,status,visitors,robots,last,referrers,bytes\n")
	kinds := []string{"port", "route", "guide", "notice", "vessel"}
	for i := range n {
		kind := kinds[i%len(kinds)]
		fmt.Fprintf(&pages, "p%d,en,%s,%s number %d,live\n", i, kind, kind, i)
		fmt.Fprintf(&book, "https://skerrywick.example/%ss/%[1]s-number-%d,p%[2]d@en,current,2026-11-01\n", kind, i)
		fmt.Fprintf(&book, "http://www.skerrywick.example/%s.php?id=%d,p%[2]d@en,former,2026-11-01\n", kind, i)
		if i%10 == 0 {
			fmt.Fprintf(&rows, "/lost-%d,/no-such-page-%[1]d,301\n", i)
		} else {
			fmt.Fprintf(&rows, "/old/%s/%d.htm,p%[2]d@en,301\n", kind, i)
		}
		fmt.Fprintf(&visits, "http://www.skerrywick.example/%s.php?id=%d,200,%d,0,2026-11-20,,\n", kind, i, i%17)
		if i%100 == 0 {
			fmt.Fprintf(&visits, "https://skerrywick.example/%s-%d.asp,404,%d,0,2026-11-20,,\n", kind, i, i%7+1)
		}
	}
	for name, content := range map[string]string{
		"young-compass.yaml": `site: {origin: "https://skerrywick.example", hosts: [www.skerrywick.example]}
languages: {default: en}
parameters: {identity: [id]}
kinds:
  port: {address: "/ports/{slug}"}
  route: {address: "/routes/{slug}"}
  guide: {address: "/guides/{slug}"}
  notice: {address: "/notices/{slug}"}
  vessel: {address: "/vessels/{slug}"}
`,
		"pages.csv": pages.String(), "addresses.csv": book.String(), "redirects.csv": rows.String(), "visits.csv": visits.String(),
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644))
	}
}

// The report of a large site stays small, and is shown at once. What was measured is printed.
func TestLargeReport(t *testing.T) {
	const pages = 50_000
	dir := t.TempDir()
	large(t, dir, pages)
	file := filepath.Join(dir, "report.html")
	m := measure(t, built(t), "report", "--project", dir, "--output", file, "--fail-on", "never")
	require.Equal(t, 0, m.status, m.message)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Less(t, info.Size(), int64(3<<20))
	assert.Less(t, m.memory, int64(500<<20))
	b := open(t, file, 1280, 800, false)
	shown, err := chromedp.Run(b, chromedp.Poll[float64](`performance.getEntriesByName("first-contentful-paint")[0]?.startTime`))
	require.NoError(t, err)
	t.Logf("bounds: a report of %d pages: %.1f s, %d MB of memory, %d KB; shown after %.0f ms", pages, m.took.Seconds(), m.memory>>20,
		info.Size()>>10, shown)
	assert.Empty(t, ask[[]string](t, b, tables))
	b.quiet(t)
}
