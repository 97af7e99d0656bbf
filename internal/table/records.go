package table

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"slices"
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
	quotes    bool        // the rest has quotes and is read record by record
	buffer    []byte      // what is read and not yet part of a chunk
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
		r.quoted, r.fields = nil, split(text, r.separator, r.fields[:0])
		return line, r.fields, nil
	}
}

// split appends the fields of a line without quotes.
func split(line string, separator byte, fields []string) []string {
	for {
		i := strings.IndexByte(line, separator)
		if i < 0 {
			return append(fields, line)
		}
		fields, line = append(fields, line[:i]), line[i+1:]
	}
}

// chunkSize is how many bytes of lines are read together, about.
const chunkSize = 256 << 10

// chunk returns the next lines, and the number of the first of them. Where it
// returns no text and no error, the rest has quotes and must be read by next.
func (r *records) chunk() (text string, line int, err error) {
	if r.quotes {
		return "", r.line + 1, nil
	}
	chunk, end := r.buffer, -1
	for err == nil && end < 0 {
		r.limit.record = 0
		chunk = slices.Grow(chunk, sampleSize)
		var n int
		n, err = r.text.Read(chunk[len(chunk) : len(chunk)+sampleSize])
		if chunk = chunk[:len(chunk)+n]; len(chunk) >= chunkSize {
			end = bytes.LastIndexByte(chunk, '\n')
		}
	}
	if err != nil && !errors.Is(err, io.EOF) {
		return "", r.line + 1, err
	}
	if err != nil {
		end = len(chunk) - 1
	}
	if end < 0 {
		return "", r.line + 1, err
	}
	if bytes.IndexByte(chunk, '"') >= 0 {
		r.quotes = true
		r.text = bufio.NewReaderSize(io.MultiReader(bytes.NewReader(chunk), r.text), sampleSize)
		return "", r.line + 1, nil
	}
	line, text = r.line+1, string(chunk[:end+1])
	r.buffer = append(chunk[:0], chunk[end+1:]...)
	lines := strings.Count(text, "\n")
	r.line += lines
	r.count += lines
	return text, line, nil
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
