package intake

import (
	"regexp"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
)

// Prepare applies the intake's rules of cleaning to the rows, and gives the
// header with the columns that labelled lines become. The rows it is given are
// left as they are.
func (in *Intake) Prepare(header table.Header, rows table.Rows) (table.Header, table.Rows, []*fault.Fault) {
	if len(in.Clean) == 0 && in.Labels.In == "" {
		return header, rows, nil
	}
	var faults []*fault.Fault
	c := template.NewCompiler(header, nil)
	find := func(name, setting string) int {
		i, f := c.Setting(name, in.root.Get(setting))
		if f != nil {
			faults = append(faults, f)
		}
		return i
	}
	var clean []int
	for _, name := range in.Clean {
		clean = append(clean, find(name, "clean"))
	}
	from := -1
	if in.Labels.In != "" {
		from = find(in.Labels.In, "labels.in")
		if len(in.Labels.Columns) == 0 {
			faults = append(faults, in.root.Get("labels").Fault(0, "labels names no columns").Do("add columns: [Name, E-mail]"))
		}
	}
	if len(faults) > 0 {
		return header, rows, faults
	}
	wide := append(header[:len(header):len(header)], in.Labels.Columns...)
	labelled := labelPattern(in.Labels.Columns)
	var out table.Rows
	cells := make([]table.Cell, len(wide))
	for _, row := range rows.All() {
		if row.Fault != nil {
			out.Add(row)
			continue
		}
		for i := range cells {
			cells[i] = table.Cell{}
			if i < len(header) {
				cells[i] = row.Cell(i)
			}
		}
		for _, i := range clean {
			if cells[i].Kind == table.Text {
				cells[i].Text = cleanText(cells[i].Text)
			}
		}
		if from >= 0 {
			for i, value := range labels(cleanText(cells[from].Text), in.Labels.Columns, labelled) {
				if value != "" {
					cells[len(header)+i] = table.Cell{Kind: table.Text, Text: value}
				}
			}
		}
		out.Add(row.With(cells))
	}
	return wide, out, nil
}

// labelPattern finds any of the labels with its colon, at the start of a line
// or behind a slash, bar or semicolon.
func labelPattern(names []string) *regexp.Regexp {
	quoted := make([]string, len(names))
	for i, n := range names {
		quoted[i] = regexp.QuoteMeta(n)
	}
	return regexp.MustCompile(`(?i)(?:^|\n|[/|;]\s*)[ \t*•-]*(` + strings.Join(quoted, "|") + `)[ \t]*:[ \t]*`)
}

// labels gives what stands behind each label, up to the next one or the end of
// the line.
func labels(text string, names []string, pattern *regexp.Regexp) []string {
	out := make([]string, len(names))
	found := pattern.FindAllStringSubmatchIndex(text, -1)
	for n, at := range found {
		end := len(text)
		if n+1 < len(found) {
			end = found[n+1][0]
		}
		value := text[at[1]:end]
		if i := strings.IndexByte(value, '\n'); i >= 0 {
			value = value[:i]
		}
		for i, name := range names {
			if strings.EqualFold(name, text[at[2]:at[3]]) && out[i] == "" {
				out[i] = strings.Trim(value, " \t/|;")
			}
		}
	}
	return out
}
