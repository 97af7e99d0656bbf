package term

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"
	"unicode"

	"golang.org/x/term"
)

// Model is what is shown on a whole screen, and what keys do to it.
type Model interface {
	// View draws the screen: at most height lines of at most width columns.
	View(width, height int) string
	// Key takes a key: a character, or up, down, left, right, enter, backspace,
	// esc or ctrl+c. It reports whether the program ends.
	Key(key string) bool
}

// escapeWait is how long an escape character may be alone before it is taken for
// the key of that name; over a slow line what belongs to it may come later.
const escapeWait = 50 * time.Millisecond

// Whole gives a model the whole screen of a terminal until it ends, or until the
// terminal goes away, and puts everything back.
func Whole(in *os.File, out io.Writer, m Model) error {
	before, err := term.MakeRaw(int(in.Fd()))
	if err != nil {
		return fmt.Errorf("taking the whole screen: %w", err)
	}
	defer func() { _ = term.Restore(int(in.Fd()), before) }()
	const alternate, hidden = "\x1b[?1049h", "\x1b[?25l"
	if _, err := io.WriteString(out, alternate+hidden); err != nil {
		return err
	}
	defer func() { _, _ = io.WriteString(out, "\x1b[?25h\x1b[?1049l") }()
	signals := make(chan os.Signal, 1)
	signal.Notify(signals, syscall.SIGHUP, syscall.SIGTERM)
	resized(signals)
	defer signal.Stop(signals)
	keys := make(chan string)
	done := make(chan struct{})
	defer close(done)
	go readKeys(in, keys, done)
	for {
		width, height, err := term.GetSize(int(in.Fd()))
		if err != nil || width == 0 {
			width, height = 80, 24
		}
		if err := draw(out, m.View(width, height)); err != nil {
			return err
		}
		select {
		case s := <-signals:
			if !isResize(s) {
				return nil
			}
		case key, more := <-keys:
			if !more || m.Key(key) {
				return nil
			}
		}
	}
}

// draw writes a view over the one before. Each line is cleared before it is
// written: behind a full one, that would take its last character.
func draw(out io.Writer, view string) error {
	const home, clearLine = "\x1b[H", "\x1b[K"
	_, err := io.WriteString(out, home+clearLine+strings.ReplaceAll(view, "\n", "\r\n"+clearLine))
	return err
}

// readKeys reads keys until there are no more, or nobody wants them.
func readKeys(in io.Reader, keys chan<- string, done <-chan struct{}) {
	defer close(keys)
	runes := make(chan rune)
	go func() {
		defer close(runes)
		for r := bufio.NewReader(in); ; {
			c, _, err := r.ReadRune()
			if err != nil {
				return
			}
			select {
			case runes <- c:
			case <-done:
				return
			}
		}
	}()
	for c := range runes {
		key := keyOf(c)
		if c == '\x1b' {
			key = escaped(runes)
		}
		if key == "" {
			continue
		}
		select {
		case keys <- key:
		case <-done:
			return
		}
	}
}

// escaped reads what follows an escape character: nothing, if it was the key.
func escaped(runes <-chan rune) string {
	sequence := ""
	for {
		select {
		case c := <-runes:
			sequence += string(c)
			if len(sequence) > 1 && (unicode.IsLetter(c) || c == '~') || len(sequence) > 8 || sequence != "[" &&
				sequence != "O" && len(sequence) == 1 {
				return map[string]string{"[A": "up", "[B": "down", "[C": "right", "[D": "left", "OA": "up",
					"OB": "down", "OC": "right", "OD": "left"}[sequence]
			}
		case <-time.After(escapeWait):
			if sequence == "" {
				return "esc"
			}
			return ""
		}
	}
}

func keyOf(c rune) string {
	switch {
	case c == '\r' || c == '\n':
		return "enter"
	case c == 0x7f || c == '\b':
		return "backspace"
	case c == 0x03:
		return "ctrl+c"
	case unicode.IsControl(c):
		return ""
	}
	return string(c)
}
