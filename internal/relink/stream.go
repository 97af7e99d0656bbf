package relink

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"
)

// window is in how many bytes at a time a long text is read.
const window = 1 << 20

// lookBehind is how many bytes before a place decide what begins there.
const lookBehind = 2

// stream relinks a text piece by piece.
type stream struct {
	*Linker
	form Form
	at   Place
	to   io.Writer
	each func(Link)

	window int // how many bytes are read at a time
	most   int // how long may be what can only be read as a whole: a string literal, a line
	buf    []byte
	from   int // what of buf is still to be read; before it stands the context
	lines  counter
	state  *statements // of a dump
	skips  *skipped    // a literal that is too long
}

// Stream relinks a dump or a text of any length: forms whose parts can be read one after the other. each is called
// with the links of which there is something to say. A string literal of a dump that is longer than MaxFile is
// passed through as it is, and told as TooLong. Errors are those of r and w.
func (l *Linker) Stream(w io.Writer, r io.Reader, form Form, at Place, each func(Link)) error {
	if form != SQL && form != Text {
		return fmt.Errorf("%s can't be read piece by piece", form)
	}
	s := stream{Linker: l, form: form, at: at, to: w, each: each, lines: counter{line: 1}, window: window,
		most: MaxFile}
	return s.run(r)
}

func (s *stream) run(r io.Reader) error {
	want := s.window
	for last := false; !last; {
		n := len(s.buf)
		s.buf = slices.Grow(s.buf, want)
		read, err := io.ReadFull(r, s.buf[n:n+want])
		s.buf = s.buf[:n+read]
		switch {
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			last = true
		case err != nil:
			return err
		}
		done, err := s.piece(last)
		for more := done; err == nil && more > 0 && s.from < len(s.buf); {
			more, err = s.piece(last) // what is behind a literal that was passed through
		}
		if err != nil {
			return err
		}
		// What isn't there to its end is tried again when there is twice as much of it.
		want = s.window
		if rest := len(s.buf) - s.from; done == 0 {
			want = max(s.window, min(rest, s.most-rest+1))
		}
	}
	return nil
}

// piece relinks what is there to its end, and returns how many bytes that are.
func (s *stream) piece(last bool) (int, error) {
	if s.skips != nil {
		n := s.skips.end(s.buf[s.from:], last)
		if s.skips.ended {
			s.skips = nil
		}
		return n, s.pass(n)
	}
	f := finder{Linker: s.Linker, text: s.buf, at: s.at, form: s.form}
	done := len(s.buf)
	if s.form == SQL {
		if s.state == nil {
			if !last && len(s.buf) < min(sampleSize, s.most) {
				return 0, nil
			}
			s.state = &statements{dialect: dialectOf(s.buf)}
		}
		done = f.statements(s.from, s.state, last)
	} else {
		if !last {
			if done = bytes.LastIndexByte(s.buf, '\n') + 1; done <= s.from && len(s.buf)-s.from >= s.most {
				done = len(s.buf)
			}
			done = max(done, s.from)
		}
		f.absolute(s.from, done)
	}
	if done == s.from && !last && len(s.buf)-s.from >= s.most {
		return s.tooLong()
	}
	n := done - s.from
	edits := f.edits
	slices.SortStableFunc(edits, func(a, b edit) int { return cmp.Or(a.from-b.from, a.to-b.to) })
	text, links := s.apply(s.buf[:done], edits, &s.lines)
	for _, link := range links {
		s.each(link)
	}
	// The text before what was read was written already.
	if _, err := s.to.Write(text[s.from:]); err != nil {
		return 0, err
	}
	return n, s.drop(done)
}

// pass writes the next bytes as they are.
func (s *stream) pass(n int) error {
	if _, err := s.to.Write(s.buf[s.from : s.from+n]); err != nil {
		return err
	}
	return s.drop(s.from + n)
}

// drop forgets the bytes up to a place, but for the context.
func (s *stream) drop(done int) error {
	s.lines.text = s.buf
	s.lines.at(done)
	keep := max(0, done-lookBehind)
	s.lines.start, s.lines.done = s.lines.start-keep, s.lines.done-keep
	s.buf = s.buf[:copy(s.buf, s.buf[keep:])]
	s.from = done - keep
	return nil
}

// tooLong tells of something that can't be held, and passes it through: a string literal to its end, anything else as
// far as it is there.
func (s *stream) tooLong() (int, error) {
	s.lines.text = s.buf
	line, column := s.lines.at(s.from)
	s.each(Link{Reason: TooLong, Form: s.form, Line: line, Column: column})
	if s.form == SQL && s.buf[s.from] == '\'' {
		i := s.from
		before := i > 0 && s.buf[i-1]|0x20 == 'e' && (i < 2 || !isWord(s.buf[i-2]))
		s.skips = &skipped{backslash: s.state.backslash || before, begun: false}
	}
	if s.skips == nil {
		n := len(s.buf) - s.from
		return n, s.pass(n)
	}
	n := s.skips.end(s.buf[s.from:], false)
	if s.skips.ended {
		s.skips = nil
	}
	return n, s.pass(n)
}

// skipped is a string literal that is passed through.
type skipped struct {
	backslash bool
	begun     bool // its first quote was met
	ended     bool
}

// end returns how many of the bytes are of the literal, as far as that is sure.
func (s *skipped) end(b []byte, last bool) int {
	i := 0
	if !s.begun {
		s.begun, i = true, 1
	}
	for i < len(b) {
		switch {
		case b[i] == '\\' && s.backslash:
			if i+1 == len(b) && !last {
				return i
			}
			i += 2
		case b[i] == '\'':
			if i+1 == len(b) && !last {
				return i
			}
			if i+1 < len(b) && b[i+1] == '\'' {
				i += 2
				continue
			}
			s.ended = true
			return i + 1
		default:
			i++
		}
	}
	return min(i, len(b))
}
