package report

import (
	"bytes"
	"fmt"
	"path"
	"slices"

	"young-compass/internal/figure"
	"young-compass/internal/table"
)

// File is a file that belongs to a report.
type File struct {
	Name string
	Data []byte
}

// Beside returns the tables that are too long for the page, each whole, as CSV files in a folder beside it, and lets
// the page link to them.
func (r *Report) Beside(folder string) (files []File, err error) {
	for _, s := range r.Sections {
		for i := range s.Tables {
			t := &s.Tables[i]
			if t.More == 0 {
				continue
			}
			rows := [][]string{make([]string, len(t.Columns))}
			for j, c := range t.Columns {
				rows[0][j] = c.Name
			}
			f := File{Name: t.ID + ".csv"}
			if f.Data, err = sheet(append(rows, t.all...)); err != nil {
				return nil, err
			}
			t.File = path.Join(folder, f.Name)
			files = append(files, f)
		}
		if f, ok, err := s.findings(); err != nil {
			return nil, err
		} else if ok {
			for i := range s.Groups {
				s.Groups[i].File = path.Join(folder, f.Name)
			}
			files = append(files, f)
		}
	}
	return files, nil
}

// findings returns all findings of a section as a file, if the page leaves some out.
func (s *Section) findings() (f File, ok bool, err error) {
	rows := [][]string{{"code", "severity", "where", "what", "advice", "visits"}}
	for _, g := range s.Groups {
		ok = ok || g.More > 0
		for _, one := range g.Group.Findings {
			rows = append(rows, []string{string(one.Code), string(one.Severity), one.Where.String(), one.What, one.Advice,
				fmt.Sprint(one.Visits)})
		}
	}
	if !ok {
		return f, false, nil
	}
	f.Name = "findings.csv"
	f.Data, err = sheet(rows)
	return f, true, err
}

// sheet writes rows as a file for a spreadsheet.
func sheet(rows [][]string) ([]byte, error) {
	var b bytes.Buffer
	if err := table.WriteShown(&b, slices.Values(rows)); err != nil {
		return nil, fmt.Errorf("writing a table: %w", err)
	}
	return b.Bytes(), nil
}

// Figures returns all figures as files, each as SVG and as PNG.
func (r *Report) Figures() (files []File, err error) {
	for _, s := range r.Sections {
		all := s.Figures
		if s.Picture != nil {
			all = append([]figure.Figure{*s.Picture}, all...)
		}
		for _, f := range all {
			var svg, png bytes.Buffer
			if err = f.File(&svg); err == nil {
				err = f.PNG(&png)
			}
			if err != nil {
				return nil, fmt.Errorf("drawing %s: %w", f.Name, err)
			}
			files = append(files, File{f.Name + ".svg", svg.Bytes()}, File{f.Name + ".png", png.Bytes()})
		}
	}
	return files, nil
}
