package deploy

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"young-compass/internal/server"
)

// InvalidError is what a server's own check says against a configuration.
type InvalidError struct {
	Output  string
	Already bool // of what was there before anything was installed
}

// Error is the last line of it.
func (e *InvalidError) Error() string {
	lines := strings.Split(strings.TrimSpace(e.Output), "\n")
	return lines[len(lines)-1]
}

// checkTime bounds a server's check of its configuration.
const checkTime = 30 * time.Second

// program finds a server's program; empty when it isn't installed.
func program(name string) string {
	for _, path := range []string{name, "/usr/sbin/" + name, "/usr/local/sbin/" + name} {
		if found, err := exec.LookPath(path); err == nil {
			return found
		}
	}
	return ""
}

// Check lets the server's own checker read a copy of what a file is to become, where the server is installed. What it
// says is returned as *InvalidError; without an error the text says what was checked. The pieces needn't be in their
// folder, which is at, yet; folder is the site's.
func Check(target server.Target, text []byte, path, folder, at string, once *server.File,
	pieces []server.File) (said string, err error) {
	if program(target.Checker()) == "" {
		return target.Checker() + " is not installed here, so its own check was not made", nil
	}
	dir, err := os.MkdirTemp("", "young-compass-check")
	if err != nil {
		return "", fmt.Errorf("checking %s: %w", path, err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	here := func(data []byte) []byte { return bytes.ReplaceAll(data, []byte(at), []byte(dir)) }
	text = here(text)
	if once != nil {
		pieces = append(slices.Clone(pieces), *once)
	}
	for _, f := range pieces {
		path := filepath.Join(dir, f.Name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, f.With(at, dir), 0o644)); err != nil {
			return "", fmt.Errorf("checking %s: %w", path, err)
		}
	}
	if _, err := Convert(target, dir, pieces); err != nil {
		return "", err
	}
	checked := filepath.Join(dir, "checked")
	if err := os.WriteFile(checked, text, 0o644); err != nil {
		return "", fmt.Errorf("checking %s: %w", path, err)
	}
	check, err := target.Check(server.Checked{Text: text, Path: checked, Folder: dir, Root: rootOf(folder),
		Block: Installed(text, target.Name(), nil)})
	if check.Remove != "" {
		defer func() { _ = os.Remove(check.Remove) }()
	}
	if err != nil {
		return "", fmt.Errorf("checking %s: %w", path, err)
	}
	err = ask(target, check.Args, nil)
	var invalid *InvalidError
	switch {
	case errors.As(err, &invalid):
		return "", &InvalidError{Output: strings.ReplaceAll(invalid.Output, checked, path)}
	case err != nil:
		return "", fmt.Errorf("checking %s: %w", path, err)
	case check.Said != "":
		return check.Said, nil
	}
	return target.Checker() + " accepts the file", nil
}

// ask calls a server's program. What it says against its configuration is returned as *InvalidError.
func ask(target server.Target, args, env []string) error {
	_, err := call(target, args, env)
	return err
}

// call calls it with a home of its own, since some programs write into theirs.
func call(target server.Target, args, env []string) (string, error) {
	home, err := os.MkdirTemp("", "young-compass-check")
	if err != nil {
		return "", fmt.Errorf("asking %s: %w", target.Checker(), err)
	}
	defer func() { _ = os.RemoveAll(home) }()
	ctx, cancel := context.WithTimeout(context.Background(), checkTime)
	defer cancel()
	command := exec.CommandContext(ctx, program(target.Checker()), args...)
	command.Env = append(append(os.Environ(), "HOME="+home, "XDG_CONFIG_HOME="+home, "XDG_DATA_HOME="+home), env...)
	output, err := command.CombinedOutput()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return "", &InvalidError{Output: string(output)}
	}
	if err != nil {
		return "", fmt.Errorf("asking %s: %w", target.Checker(), err)
	}
	return string(output), nil
}

// reading reports whether a server says that its configuration has a file in it.
func reading(target server.Target, w server.Whole, file string) (bool, error) {
	real, err := filepath.EvalSymlinks(file)
	if err != nil {
		return false, fmt.Errorf("looking for %s: %w", file, err)
	}
	if w.List == nil {
		return true, nil
	}
	output, err := call(target, w.List, w.Env)
	if err != nil {
		return false, err
	}
	for line := range strings.Lines(output) {
		if name, ok := w.Names(strings.TrimRight(line, "\n")); ok {
			if named, err := filepath.EvalSymlinks(name); err == nil && named == real {
				return true, nil
			}
		}
	}
	return false, nil
}

// rootOf returns the folder of a server's configuration in which a folder for pieces lies.
func rootOf(folder string) string {
	if root := filepath.Dir(folder); filepath.Base(root) != piecesFolder {
		return root
	}
	return filepath.Dir(filepath.Dir(folder))
}

// converter is a target some of whose files must be converted before the server reads them.
type converter interface {
	Conversion(files []server.File, folder string) []string
}

// Convert converts files in a folder, where the target wants that. It reports
// false where the program for that is missing.
func Convert(target server.Target, folder string, pieces []server.File) (done bool, err error) {
	c, ok := target.(converter)
	if !ok {
		return true, nil
	}
	command := c.Conversion(pieces, folder)
	if command == nil {
		return true, nil
	}
	tool := program(command[0])
	if tool == "" {
		return false, nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), checkTime)
	defer cancel()
	output, err := exec.CommandContext(ctx, tool, command[1:]...).CombinedOutput()
	if err != nil {
		return false, fmt.Errorf("converting the pieces in %s: %w: %s", folder, err, bytes.TrimSpace(output))
	}
	return true, nil
}
