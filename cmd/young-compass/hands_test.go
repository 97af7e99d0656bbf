//go:build linux

package main

import (
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
)

// TestHands is about several runs, and people, that work on one project at the same time.
func TestHands(t *testing.T) {
	t.Parallel()
	program := built(t)
	for name, test := range map[string]func(t *testing.T, program, dir string){"many": manyHandsLoseNothing,
		"a person": aRowWrittenWhileAPersonIsAskedStays, "waiting": aRunWaitsForAnother, "signals": signalsEndARun} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			test(t, program, twoHands(t))
		})
	}
}

// twoHands is a project with a few pages.
func twoHands(t *testing.T) (dir string) {
	t.Helper()
	dir = t.TempDir()
	for name, text := range map[string]string{
		project.PlanFile:      "site: {origin: https://skerrywick.example}\nkinds:\n  page: {address: '/{slug}'}\n",
		project.PagesFile:     "key,language,kind,title,state\nabout,en,page,About,live\nfares,en,page,Fares,live\n",
		project.AddressesFile: "address,page,state\nhttps://skerrywick.example/about.html,about@en,current\n",
		"other.csv":           "key,language,title\nnews,en,News\n",
		"third.csv":           "key,language,title\nports,en,Ports\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	return dir
}

func text(t *testing.T, path ...string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(path...))
	require.NoError(t, err)
	return string(data)
}

// Commands that change a project at the same time do so one after the other: nothing that one wrote is lost.
func manyHandsLoseNothing(t *testing.T, program, dir string) {
	var wait sync.WaitGroup
	start := func(args ...string) {
		wait.Go(func() {
			output, err := exec.Command(program, append([]string{"--project", dir}, args...)...).CombinedOutput()
			assert.NoError(t, err, "%s: %s", args, output)
		})
	}
	const adds = 20
	for i := range adds {
		start("redirects", "add", fmt.Sprintf("/c/%d", i), "about@en")
	}
	start("gather", filepath.Join(dir, "other.csv"))
	start("design", "--write", "--fail-on", "never")
	start("gather", filepath.Join(dir, "third.csv"))
	wait.Wait()
	assert.Equal(t, 1+adds, strings.Count(text(t, dir, project.RedirectsFile), "\n"))
	for _, key := range []string{"about", "fares", "news", "ports"} {
		assert.Contains(t, text(t, dir, project.PagesFile), key+",en")
	}
	assert.Contains(t, text(t, dir, project.AddressesFile), "https://skerrywick.example/about.html,about@en,former")
	output, err := exec.Command(program, "--project", dir, "design", "--write", "--fail-on", "never").CombinedOutput()
	require.NoError(t, err, string(output))
	for _, key := range []string{"about", "fares", "news", "ports"} {
		assert.Contains(t, text(t, dir, project.AddressesFile), "https://skerrywick.example/"+key+","+key+"@en,current")
	}
}

// While design waits for a person's answer, another command waits, or ends at once when told so; and a row that a
// person writes into pages.csv meanwhile stays.
func aRowWrittenWhileAPersonIsAskedStays(t *testing.T, program, dir string) {
	pages := "key,language,kind,title,state\na,en,page,Fares,live\nb,en,page,Fares,live\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, project.PagesFile), []byte(pages), 0o644))
	require.NoError(t, os.Remove(filepath.Join(dir, project.AddressesFile)))
	asked := exec.Command(program, "--project", dir, "design", "--write", "--collide", "ask")
	answers, err := asked.StdinPipe()
	require.NoError(t, err)
	var stderr strings.Builder
	questions, err := asked.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, asked.Start())
	question := make([]byte, 1<<10)
	n, err := questions.Read(question)
	require.NoError(t, err)
	stderr.Write(question[:n])
	assert.Contains(t, stderr.String(), "belongs to")

	output, err := exec.Command(program, "--project", dir, "--no-wait", "redirects", "add", "/x", "a@en").CombinedOutput()
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit)
	assert.Equal(t, 3, exit.ExitCode())
	assert.Equal(t, fmt.Sprintf("young-compass: young-compass design (process %d) is at work in this project, and --no-wait says "+
		"not to wait for it\n", asked.Process.Pid), string(output))

	more := pages + "c,en,page,New,live\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, project.PagesFile), []byte(more), 0o644))
	_, err = io.WriteString(answers, "other-fares\n")
	require.NoError(t, err)
	require.NoError(t, answers.Close())
	rest, err := io.ReadAll(questions)
	require.NoError(t, err)
	require.ErrorAs(t, asked.Wait(), &exit)
	assert.Equal(t, 3, exit.ExitCode())
	assert.Contains(t, string(rest), "pages.csv: somebody changed it meanwhile, and that is left as it is; run this again")
	assert.Equal(t, more, text(t, dir, project.PagesFile))
	assert.NoFileExists(t, filepath.Join(dir, project.AddressesFile), "all files or none")
}

// A run that finds another at work says so, and goes on when that ends.
func aRunWaitsForAnother(t *testing.T, program, dir string) {
	first := exec.Command(program, "--project", dir, "gather", "-")
	input, err := first.StdinPipe()
	require.NoError(t, err)
	require.NoError(t, first.Start())
	require.Eventually(t, func() bool {
		data, err := os.ReadFile(filepath.Join(dir, project.LockFile))
		return err == nil && strings.Contains(string(data), "gather")
	}, 10*time.Second, 10*time.Millisecond)
	second := exec.Command(program, "--project", dir, "redirects", "add", "/x", "news@en", "--anyway")
	said, err := second.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, second.Start())
	line := make([]byte, 200)
	n, err := said.Read(line)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("young-compass gather (process %d) is at work in this project; waiting for it to end, for at "+
		"most 30s\n", first.Process.Pid), string(line[:n]))
	_, err = io.WriteString(input, "key,language,title,address\nnews,en,News,/news\n")
	require.NoError(t, err)
	require.NoError(t, input.Close())
	require.NoError(t, first.Wait())
	_, err = io.Copy(io.Discard, said)
	require.NoError(t, err)
	require.NoError(t, second.Wait())
	assert.Contains(t, text(t, dir, project.RedirectsFile), "/x,news@en,301")
}

// A signal ends any run soon, before it writes anything, with one line; a second one ends it at once.
func signalsEndARun(t *testing.T, program, dir string) {
	var rows strings.Builder
	rows.WriteString("from,to,status\n")
	for i := range 300_000 {
		fmt.Fprintf(&rows, "/old/%d,/new/%d,301\n", i, i)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "long.csv"), []byte(rows.String()), 0o644))
	before := text(t, dir, project.PagesFile)
	for _, c := range []struct {
		args    []string
		signals []os.Signal
		status  int // -1: ended by the signal
		says    string
	}{
		{[]string{"gather", "-"}, []os.Signal{os.Interrupt}, 3, "young-compass: interrupted; nothing is written"},
		{[]string{"gather", "-"}, []os.Signal{syscall.SIGTERM}, 3, "young-compass: interrupted; nothing is written"},
		{[]string{"gather", "-"}, []os.Signal{os.Interrupt, os.Interrupt}, -1, ""},
		{[]string{"redirects", "merge", "long.csv"}, []os.Signal{os.Interrupt}, 3, "young-compass: interrupted; nothing is written"},
		{[]string{"redirects", "check", "long.csv"}, []os.Signal{os.Interrupt}, 3, "young-compass: interrupted; nothing is written"},
		{[]string{"relink", "-"}, []os.Signal{os.Interrupt}, 3, "young-compass: interrupted; nothing is written"},
		{[]string{"design", "--write", "--collide", "ask"}, []os.Signal{os.Interrupt}, 3, "young-compass: interrupted; nothing is written"},
	} {
		pages := before
		if c.args[0] == "design" {
			pages = "key,language,kind,title,state\na,en,page,Fares,live\nb,en,page,Fares,live\n"
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, project.PagesFile), []byte(pages), 0o644))
		run := exec.Command(program, c.args...)
		run.Dir = dir
		_, err := run.StdinPipe() // never closed by us
		require.NoError(t, err)
		var stderr strings.Builder
		run.Stderr = &stderr
		require.NoError(t, run.Start())
		time.Sleep(400 * time.Millisecond)
		start := time.Now()
		for _, signal := range c.signals {
			require.NoError(t, run.Process.Signal(signal), "%s has ended before: %s", c.args, stderr.String())
			time.Sleep(100 * time.Millisecond)
		}
		err = run.Wait()
		var exit *exec.ExitError
		require.ErrorAs(t, err, &exit, "%s", c.args)
		assert.Equal(t, c.status, exit.ExitCode(), "%s: %s", c.args, stderr.String())
		assert.Less(t, time.Since(start), 10*time.Second)
		if c.says != "" {
			lines := strings.Split(strings.TrimSpace(stderr.String()), "\n")
			assert.Contains(t, lines[len(lines)-1], c.says, "%s", c.args)
		}
		assert.Equal(t, pages, text(t, dir, project.PagesFile))
		assert.NoFileExists(t, filepath.Join(dir, project.RedirectsFile))
	}
}
