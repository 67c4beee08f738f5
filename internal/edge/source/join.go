package source

import (
	"cmp"
	"io"
	"slices"

	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

// joined is several tables as one, one below the other. Columns of one name
// are one column; a last column says which part a row is from.
type joined struct {
	parts  []Reader
	header table.Header
	places [][]int // by part: where its columns go
	label  func(Reader) string
	at     int
	block  sheet.Block
	about  *sheet.About
	zones  []sheet.ZoneNote // of the parts that were read
	years  []sheet.YearNote
}

func join(parts []Reader, column string, label func(Reader) string) Reader {
	j := &joined{parts: parts, label: label}
	for _, p := range parts {
		places := make([]int, len(p.Header()))
		used := map[int]bool{}
		for i, name := range p.Header() {
			at := -1
			for k, have := range j.header {
				if have == name && !used[k] && (name != "" || k == i) {
					at = k
					break
				}
			}
			if at < 0 {
				at = len(j.header)
				j.header = append(j.header, name)
			}
			places[i], used[at] = at, true
		}
		j.places = append(j.places, places)
	}
	for slices.Contains(j.header, column) {
		column += " of origin"
	}
	j.header = append(j.header, column)
	first := *parts[0].About()
	for _, p := range parts {
		first.LastDay = first.LastDay && p.About().LastDay
	}
	j.about = &first
	return j
}

func (j *joined) Header() table.Header  { return j.header }
func (j *joined) Origin() *table.Origin { return j.parts[0].Origin() }
func (j *joined) About() *sheet.About   { return j.about }

// note takes over what is to be said of a part that was read, with its name.
func (j *joined) note(p Reader) {
	for _, text := range p.About().Notes {
		if text != "" && !slices.Contains(j.about.Notes, text) {
			j.about.Notes = append(j.about.Notes, j.label(p)+": "+text)
		}
	}
	for _, name := range p.About().HiddenColumns {
		if !slices.Contains(j.about.HiddenColumns, name) {
			j.about.HiddenColumns = append(j.about.HiddenColumns, name)
		}
	}
	j.about.More = cmp.Or(j.about.More, p.About().More)
}

func (j *joined) Next() (table.Row, error) {
	for j.at < len(j.parts) {
		p := j.parts[j.at]
		row, err := p.Next()
		if err == io.EOF {
			if zones := p.About().Zones; len(zones) > 0 {
				j.zones = append(j.zones, zones...)
			} else {
				j.zones = append(j.zones, sheet.ZoneNote{})
			}
			if years := p.About().Years; len(years) > 0 {
				j.years = append(j.years, years...)
			} else {
				j.years = append(j.years, sheet.YearNote{})
			}
			j.about.Zones, j.about.Years = j.zones, j.years
			j.note(p)
			if j.at++; j.at > 1 {
				j.about.HiddenRows += p.About().HiddenRows
				j.about.Merged += p.About().Merged
			}
			continue
		}
		if err != nil {
			return row, err
		}
		cells := j.block.Take(make([]table.Cell, len(j.header)))
		for i := range min(row.Width(), len(j.places[j.at])) {
			cells[j.places[j.at][i]] = row.Cell(i)
		}
		cells[len(cells)-1] = table.Cell{Kind: table.Text, Text: j.label(p)}
		return row.With(cells), nil
	}
	return table.Row{}, io.EOF
}

func (j *joined) Close() error {
	var first error
	for _, p := range j.parts {
		if err := p.Close(); err != nil && first == nil {
			first = err
		}
	}
	return first
}
