package job

import (
	"cmp"
	"slices"
	"strings"

	"almanach/internal/core/extract"
	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
)

// Selection says which occurrences of a range are wanted, and in which order.
type Selection struct {
	Find  string   // a text that one of the fields holds, in whatever case
	Where string   // a condition over the columns of an extract, as intakes write them
	Sort  []string // columns, "-" in front for the last first
	First int      // so many; 0 for all
	After int      // but for so many in front
}

// Select keeps the occurrences that are wanted, in the order that is asked for.
func (x *Extract) Select(s Selection) *fault.Fault {
	if s.Where != "" {
		if f := x.where(s.Where); f != nil {
			return f
		}
	}
	if find := strings.ToLower(strings.Join(strings.Fields(s.Find), " ")); find != "" {
		x.Rows = slices.DeleteFunc(x.Rows, func(r extract.Row) bool {
			for _, c := range searched {
				if strings.Contains(strings.ToLower(strings.Join(strings.Fields(r.Value(c)), " ")), find) {
					return false
				}
			}
			return true
		})
	}
	if f := x.sort(s.Sort); f != nil {
		return f
	}
	x.Found = len(x.Rows)
	x.Rows = x.Rows[min(s.After, len(x.Rows)):]
	if s.First > 0 {
		x.Rows = x.Rows[:min(s.First, len(x.Rows))]
	}
	return nil
}

// searched are the columns that a text is looked for in.
var searched = []string{"title", "location", "description", "attendees", "organizer", "categories", "key", "url"}

func (x *Extract) where(text string) *fault.Fault {
	header := table.Header(slices.Concat(extract.Columns, extract.More))
	c := template.NewCompiler(header, nil)
	condition, f := c.Condition(template.Source{Text: text})
	if f != nil {
		return f
	}
	used := c.Used()
	eval := c.Evaluator(nil)
	cells := make([]table.Cell, len(header))
	var failed *fault.Fault
	x.Rows = slices.DeleteFunc(x.Rows, func(r extract.Row) bool {
		for _, i := range used {
			cells[i] = table.Cell{Kind: table.Text, Text: r.Value(header[i])}
		}
		eval.Load(table.Row{Cells: cells})
		met, f := eval.Met(condition)
		if f != nil {
			failed = f
		}
		return !met
	})
	return failed
}

func (x *Extract) sort(columns []string) *fault.Fault {
	allowed := slices.Concat([]string{"day", "time"}, extract.Columns, extract.More)
	for _, c := range columns {
		if !slices.Contains(allowed, strings.TrimPrefix(c, "-")) {
			return fault.Unknown("column of an extract", strings.TrimPrefix(c, "-"), allowed)
		}
	}
	if len(columns) == 0 {
		return nil
	}
	slices.SortStableFunc(x.Rows, func(a, b extract.Row) int {
		for _, c := range columns {
			name, down := strings.CutPrefix(c, "-")
			d := 0
			switch name {
			case "start":
				d = cmp.Compare(a.Begins(), b.Begins())
			case "end":
				d = cmp.Compare(a.Span.End.Instant(x.Range.View), b.Span.End.Instant(x.Range.View))
			default:
				d = strings.Compare(strings.ToLower(a.Value(name)), strings.ToLower(b.Value(name)))
			}
			if down {
				d = -d
			}
			if d != 0 {
				return d
			}
		}
		return 0
	})
	return nil
}
