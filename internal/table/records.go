package table

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"strings"
)

// records reads separated values (RFC 4180). Lines without a quote, which are
// almost all, are cut at the separators; encoding/csv reads the others.
type records struct {
	text      *bufio.Reader
	limit     *textLimit
	separator byte
	line      int // the last one read
	count     int // of rows
	fields    []string
	quoted    *csv.Reader // that read the last record; nil for one without quotes
}

func newRecords(text *bufio.Reader, limit *textLimit) *records {
	return &records{text: text, limit: limit, separator: byte(delimiter(text))}
}

// next returns the next record and the line on which it begins. The record is
// good until the next call; its fields stay.
func (r *records) next() (line int, record []string, err error) {
	r.limit.record = 0
	for {
		text, err := r.readLine()
		if err != nil {
			return r.line, nil, err
		}
		if text == "" {
			continue // encoding/csv leaves empty lines out too
		}
		line = r.line
		if strings.IndexByte(text, '"') >= 0 {
			record, err := r.readQuoted(text)
			return line, record, err
		}
		r.quoted, r.fields = nil, r.fields[:0]
		for {
			i := strings.IndexByte(text, r.separator)
			if i < 0 {
				break
			}
			r.fields, text = append(r.fields, text[:i]), text[i+1:]
		}
		r.fields = append(r.fields, text)
		return line, r.fields, nil
	}
}

// readLine returns a line without its end; io.EOF behind the last.
func (r *records) readLine() (string, error) {
	line, err := r.text.ReadSlice('\n')
	text := ""
	if errors.Is(err, bufio.ErrBufferFull) {
		start := bytes.Clone(line)
		line, err = r.text.ReadBytes('\n')
		line = append(start, line...)
	}
	if err != nil && (!errors.Is(err, io.EOF) || len(line) == 0) {
		return "", err
	}
	r.line++
	line = bytes.TrimSuffix(line, []byte("\n"))
	line = bytes.TrimSuffix(line, []byte("\r"))
	text = string(line)
	return text, nil
}

// readQuoted reads a record that begins with a line and has quotes in it. It
// ends where the quotes are even again.
func (r *records) readQuoted(text string) ([]string, error) {
	first := r.line
	record, err := r.parse(text, first)
	if errors.Is(err, csv.ErrBareQuote) || strings.Count(text, `"`)%2 == 0 {
		return record, err
	}
	var whole strings.Builder
	whole.WriteString(text)
	for open := true; open; {
		more, end := r.readLine()
		if errors.Is(end, io.EOF) {
			return nil, unclosed{err}
		}
		if end != nil {
			return nil, end
		}
		whole.WriteByte('\n')
		whole.WriteString(more)
		open = strings.Count(more, `"`)%2 == 0
	}
	return r.parse(whole.String(), first)
}

// unclosed is the error for a quote without its partner: what is behind it is
// no table.
type unclosed struct{ error }

func (u unclosed) Unwrap() error { return u.error }

func (r *records) parse(text string, line int) ([]string, error) {
	r.quoted = csv.NewReader(strings.NewReader(text))
	r.quoted.Comma, r.quoted.FieldsPerRecord = rune(r.separator), -1
	record, err := r.quoted.Read()
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		parse.StartLine += line - 1
		parse.Line += line - 1
	}
	return record, err
}

// column returns where, in bytes from 1, a field of the last record begins on
// its line.
func (r *records) column(field int) int {
	if r.quoted != nil {
		_, column := r.quoted.FieldPos(field)
		return column
	}
	at := 1
	for _, f := range r.fields[:field] {
		at += len(f) + 1
	}
	return at
}
