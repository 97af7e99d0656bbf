//go:build linux

package main

import (
	"bytes"
	"context"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
)

// built returns the program as it is built. It is built once for all tests, since linking takes seconds.
func built(t *testing.T) string {
	t.Helper()
	path, err := builtOnce()
	require.NoError(t, err)
	return path
}

func builtFolder() string {
	return filepath.Join(os.TempDir(), fmt.Sprintf("young-compass-test-%d", os.Getpid()))
}

var builtOnce = sync.OnceValues(func() (string, error) {
	path := filepath.Join(builtFolder(), "young-compass")
	c := exec.Command("go", "build", "-o", path, ".")
	c.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := c.CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("building the program: %w: %s", err, out)
	}
	return path, nil
})

// A run that is killed in the middle goes on where it was: nothing but its last
// batch is asked again, and the result is that of an unbroken run.
func TestKilledProbeGoesOn(t *testing.T) {
	t.Parallel()
	program := built(t)
	dir := t.TempDir()
	p := demotest.Accepted(t, dir)
	site, _ := demo.Neglected(p, demo.NeglectSeed, nil)
	var asked, pause atomic.Int64
	at, ca := standIn(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		time.Sleep(time.Duration(pause.Load()))
		site.ServeHTTP(w, r)
	}))
	args := []string{"probe", "canonicals", "parameters", "languages", "https", "index", "--project", dir, "--at", at,
		"--ca", ca, "--format", "json"}
	whole, err := exec.Command(program, args...).Output()
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit)
	require.Equal(t, 1, exit.ExitCode(), "%s", exit.Stderr)
	all := asked.Swap(0)
	pause.Store(int64(20 * time.Millisecond))
	killed := exec.Command(program, args...)
	require.NoError(t, killed.Start())
	require.Eventually(t, func() bool { return asked.Load() > all*6/10 }, 20*time.Second, time.Millisecond)
	require.NoError(t, killed.Process.Kill())
	require.Error(t, killed.Wait())
	before := asked.Swap(0)
	pause.Store(0)
	var out, messages bytes.Buffer
	again := exec.Command(program, args...)
	again.Stdout, again.Stderr = &out, &messages
	require.Error(t, again.Run())
	assert.Contains(t, messages.String(), "going on: ")
	assert.JSONEq(t, string(whole), out.String())
	const batch, small = 200, 40 // robots.txt, sitemaps and certificates are asked anew
	assert.LessOrEqual(t, before+asked.Load(), all+batch+small)
	t.Logf("%d requests in one go; %d before it was killed and %d after", all, before, asked.Load())
}

// probeOf runs the program in this process.
func probeOf(t *testing.T, args string) (status int, out string) {
	t.Helper()
	var stdout, stderr bytes.Buffer
	status = cli.Main(context.Background(), strings.Fields(args), strings.NewReader(""), &stdout, &stderr)
	return status, stdout.String()
}

// What continuous integration reads is as its standards say.
func TestReportsForIntegration(t *testing.T) {
	dir := t.TempDir()
	demotest.Accepted(t, dir)
	live := neglected(t, dir) + " --project " + dir
	status, out := probeOf(t, "probe languages index --format sarif"+live)
	assert.Equal(t, 1, status)
	var log map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &log))
	assert.Equal(t, "2.1.0", log["version"])
	run := log["runs"].([]any)[0].(map[string]any)
	driver := run["tool"].(map[string]any)["driver"].(map[string]any)
	assert.Equal(t, "young-compass", driver["name"])
	rules := driver["rules"].([]any)
	results := run["results"].([]any)
	assert.Greater(t, len(results), 8)
	for _, r := range results {
		result := r.(map[string]any)
		assert.NotEmpty(t, result["message"].(map[string]any)["text"])
		assert.Contains(t, []any{"error", "warning", "note"}, result["level"])
		assert.Equal(t, result["ruleId"], rules[int(result["ruleIndex"].(float64))].(map[string]any)["id"])
		place := result["locations"].([]any)[0].(map[string]any)["physicalLocation"].(map[string]any)
		assert.NotEmpty(t, place["artifactLocation"].(map[string]any)["uri"])
	}
	_, out = probeOf(t, "probe languages index --format junit"+live)
	var suites struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
		Suite    struct {
			Cases []struct {
				Name    string `xml:"name,attr"`
				Class   string `xml:"classname,attr"`
				Failure *struct {
					Message string `xml:"message,attr"`
				} `xml:"failure"`
			} `xml:"testcase"`
		} `xml:"testsuite"`
	}
	require.NoError(t, xml.Unmarshal([]byte(out), &suites))
	assert.Len(t, suites.Suite.Cases, suites.Tests)
	failed := 0
	for _, c := range suites.Suite.Cases {
		assert.NotEmpty(t, c.Name+c.Class)
		if c.Failure != nil {
			failed++
			assert.NotEmpty(t, c.Failure.Message)
		}
	}
	assert.Equal(t, suites.Failures, failed)
	assert.Greater(t, failed, 5)
}

// A nightly job hears of what is new alone.
func TestBaseline(t *testing.T) {
	dir := t.TempDir()
	p := demotest.Accepted(t, dir)
	handler := http.Handler(demo.NewSite(p))
	at, ca := standIn(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { handler.ServeHTTP(w, r) }))
	live := " --project " + dir + " --at " + at + " --ca " + ca
	troubles := demo.Troubles()
	one, other := []demo.Trouble{troubles[1]}, []demo.Trouble{troubles[1], troubles[17]}
	handler, _ = demo.Neglected(p, 5, one)
	status, _ := probeOf(t, "probe canonicals index --save monday"+live)
	assert.Equal(t, 1, status)
	assert.Contains(t, text(t, dir, "baselines/monday.json"), "\"code\": \"canonical-redirects\"")
	require.NoError(t, os.Remove(filepath.Join(dir, "young-compass.db")), "which may be deleted")
	status, out := probeOf(t, "probe canonicals index --against monday"+live)
	assert.Equal(t, 0, status, "%s", out)
	first := text(t, dir, "baselines/monday.json")
	status, _ = probeOf(t, "probe canonicals index --save monday"+live)
	assert.Equal(t, 1, status)
	assert.Equal(t, first, text(t, dir, "baselines/monday.json"), "the same site, the same bytes")
	for _, name := range []string{"../monday", "a/b", ".x", "mon day", "-x", strings.Repeat("m", 101)} {
		status, _ = probeOf(t, "probe hosts --save="+strings.ReplaceAll(name, " ", "\u00a0")+live)
		assert.Equal(t, 2, status, name)
	}
	handler, _ = demo.Neglected(p, 5, other)
	status, out = probeOf(t, "probe canonicals index --against monday"+live)
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "new     error     live-noindex")
	assert.NotContains(t, out, "canonical-redirects")
	handler = demo.NewSite(p)
	status, out = probeOf(t, "probe canonicals index --against monday"+live)
	assert.Equal(t, 0, status)
	assert.Contains(t, out, "gone")
	status, _ = probeOf(t, "probe canonicals --against tuesday"+live)
	assert.Equal(t, 2, status)
}

// What is said of one address, of one parameter, and of a sample.
func TestProbeInDetail(t *testing.T) {
	dir := t.TempDir()
	demotest.Accepted(t, dir)
	demotest.Write(t, filepath.Join(dir, "visits.csv"),
		[]byte("address,status,visitors,robots,last\nhttps://skerrywick.example/contact?sid=77,301,9,2,2026-11-22\n"+
			"https://skerrywick.example/about-us,200,900,2,2026-11-22\n"))
	live := neglected(t, dir) + " --project " + dir
	status, out := probeOf(t, "probe explain /fleet/mv-sea-otter"+live)
	assert.Equal(t, 1, status)
	for _, line := range []string{
		"canonical by link element    http://skerrywick.example/fleet/mv-sea-otter", "redirect ",
		"it ends at                     https://skerrywick.example/fleet/mv-sea-otter",
		`head                         <link rel="canonical" href="https://skerrywick.example/fleet/mv-sea-otter">`,
		`Link: <https://skerrywick.example/fleet/mv-sea-otter>; rel="canonical"`, "error canonical-insecure",
	} {
		assert.Contains(t, out, line)
	}
	status, _ = probeOf(t, "probe explain https://other.example/"+live)
	assert.Equal(t, 2, status)
	_, out = probeOf(t, "probe parameters --list sid"+live)
	assert.Contains(t, out, "https://skerrywick.example/contact?sid=77\n")
	assert.Contains(t, out, "?sid=8f3a\n")
	_, out = probeOf(t, "probe parameters --steps sid --since 2026-11-20"+live)
	assert.Contains(t, out, "1  next   let each redirect, name its address without the parameter, or say noindex")
	assert.Contains(t, out, "1 of 2 in the logs since 2026-11-20")
	_, out = probeOf(t, "probe redirects hosts index --sample 3 --format json"+live)
	var report struct {
		Summary map[string]any
	}
	require.NoError(t, json.Unmarshal([]byte(out), &report))
	assert.EqualValues(t, 3, report.Summary["redirects_asked"])
	assert.EqualValues(t, 3, report.Summary["hosts_pages"])
	for args, status := range map[string]int{"probe nonsense": 2, "probe --since soon": 2, "probe --copy nonsense": 2,
		"probe --auth nobody": 2, "probe --header x": 2, "probe --at a=b": 2, "probe --ca /nowhere": 2} {
		got, _ := probeOf(t, args+" --project "+dir)
		assert.Equal(t, status, got, args)
	}
}

// What is protected is asked with what the user gave, and never shown.
func TestSecretsStaySecret(t *testing.T) {
	dir := t.TempDir()
	p := demotest.Accepted(t, dir)
	site := demo.NewSite(p)
	at, ca := standIn(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if user, password, ok := r.BasicAuth(); !ok || user != "anna" || password != "hush-hush" ||
			r.Header.Get("X-Stage") != "two" {
			http.Error(w, "401", http.StatusUnauthorized)
			return
		}
		site.ServeHTTP(w, r)
	}))
	t.Setenv("STAGE_LOGIN", "anna:hush-hush")
	args := []string{"probe", "--project", dir, "--at", at, "--ca", ca, "--format", "json", "--header", "X-Stage: two"}
	var out, messages bytes.Buffer
	status := cli.Main(context.Background(), append(args, "--auth", "$STAGE_LOGIN"), strings.NewReader(""), &out,
		&messages)
	assert.Equal(t, 0, status, "%s", out.String())
	status, _ = probeOf(t, strings.Join(args[:len(args)-2], " "))
	assert.Equal(t, 1, status)
	database, err := os.ReadFile(filepath.Join(dir, "young-compass.db"))
	require.NoError(t, err)
	for _, text := range []string{out.String(), messages.String(), string(database)} {
		assert.NotContains(t, text, "hush")
		assert.NotContains(t, text, "YW5uYTpodXNoLWh1c2g") // the same in base64
	}
}
