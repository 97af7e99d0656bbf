package deploy

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"young-compass/internal/server"
)

// InvalidError is what a server's own check says against a configuration.
type InvalidError struct{ Output string }

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

// Check lets the server's own checker read what a file is to become, where the
// server is installed. What it says is returned as *InvalidError; without an
// error the text says what was checked. The pieces needn't be written yet.
func Check(target server.Target, text []byte, path, folder string, pieces []server.File) (said string, err error) {
	tool := program(target.Checker())
	if tool == "" {
		return target.Checker() + " is not installed here, so its own check was not made", nil
	}
	dir, err := os.MkdirTemp("", "young-compass-check")
	if err != nil {
		return "", fmt.Errorf("checking %s: %w", path, err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	text = bytes.ReplaceAll(text, []byte(folder), []byte(dir))
	for _, f := range pieces {
		if err := os.WriteFile(filepath.Join(dir, f.Name), bytes.ReplaceAll(f.Data, []byte(folder), []byte(dir)),
			0o644); err != nil {
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
		Block: Installed(text, target.Name())})
	if check.Remove != "" {
		defer func() { _ = os.Remove(check.Remove) }()
	}
	if err != nil {
		return "", fmt.Errorf("checking %s: %w", path, err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), checkTime)
	defer cancel()
	command := exec.CommandContext(ctx, tool, check.Args...)
	command.Env = append(os.Environ(), "HOME="+dir, "XDG_CONFIG_HOME="+dir, "XDG_DATA_HOME="+dir)
	output, err := command.CombinedOutput()
	var exit *exec.ExitError
	switch {
	case errors.As(err, &exit):
		return "", &InvalidError{strings.ReplaceAll(string(output), checked, path)}
	case err != nil:
		return "", fmt.Errorf("checking %s with %s: %w", path, tool, err)
	case check.Said != "":
		return check.Said, nil
	}
	return target.Checker() + " accepts the file", nil
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
