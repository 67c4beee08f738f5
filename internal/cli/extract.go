package cli

import (
	"bytes"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/extract"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/job"
)

// extractFlags are the flags of extract.
type extractFlags struct {
	spanFlags
	as, csv string
	out     outFile
	columns []string
	pick    job.Selection
}

// spanFlags say which days.
type spanFlags struct{ from, to, in string }

func (s *spanFlags) add(c *cobra.Command, from, to string) {
	flags := c.Flags()
	flags.StringVar(&s.from, "from", "", "first `DAY`, or a date and time, or words (default: "+from+")")
	flags.StringVar(&s.to, "to", "", "last `DAY`, included, or a date and time, or +4w (default: "+to+")")
	flags.StringVar(&s.in, "in", "", "the `SPAN` in words, instead of both: today, \"next week\", \"5-9 april\", \"april 2027\", q2, 2027")
}

// span reads the flags on the office's clock.
func (s *spanFlags) span(office *job.Office) (job.Range, *fault.Fault) {
	switch {
	case s.in == "":
		return office.ParseRange(s.from, s.to)
	case s.from != "" || s.to != "":
		return job.Range{}, fault.Newf("--in says the whole span, and so do --from and --to").Do("give --in, or the other two")
	}
	return office.ParseSpan(s.in)
}

func (a *app) extract() *cobra.Command {
	var x extractFlags
	c := &cobra.Command{
		Use:   "extract [CALENDAR…]",
		Short: "List every event of a date range, with every repeating event expanded",
		Long: `List every event of a date range in calendars, with every repeating
event expanded. CALENDAR is a name of the desk or an .ics file; without one, all
calendars of the desk are taken. Both days of the range are included; without
--from it begins today, without --to it is a week. Days may be words: today,
"next monday", "april 2027", "next month", +4w.

--where is a condition over the columns, as intakes write them; --find looks for
a text in titles, places, notes and people. As xlsx the dates are real dates; as
ics each occurrence is an event of its own.`,
		Example: `  almanach extract berths --from 2026-03-02 --to 2026-03-08
  almanach extract --in "april 2027" --where 'status == "cancelled"' --first 10 --out april.xlsx
  almanach extract berths.ics --from tomorrow --to +4w --find corvane --sort location,-start`,
		RunE: func(c *cobra.Command, args []string) error { return a.runExtract(c, args, &x) },
	}
	flags := c.Flags()
	x.add(c, "today", "a week")
	flags.StringVar(&x.pick.Find, "find", "", "only what holds this `TEXT` in its title, place, notes, people or key")
	flags.StringVar(&x.pick.Where, "where", "", "only what meets this `CONDITION`, such as 'location startsWith \"Berth\"'")
	flags.StringSliceVar(&x.pick.Sort, "sort", nil, "order by these `COLUMNS`; - in front for the last first")
	flags.IntVar(&x.pick.First, "first", 0, "only the first `N`")
	flags.IntVar(&x.pick.After, "after", 0, "leave out the first `M`")
	flags.StringVar(&x.as, "as", "", "`FORM` to write: "+strings.Join(show.Forms, ", ")+" (default: table, or what --out ends in)")
	flags.StringVar(&x.csv, "csv", "", "kind of CSV: plain, or `excel` for spreadsheets: semicolons, a mark of UTF-8, date and time in two columns")
	x.out.add(c)
	flags.StringSliceVar(&x.columns, "columns", nil, "`COLUMNS` to show, with commas between: "+strings.Join(slices.Concat(extract.Columns, extract.More), ", "))
	return c
}

func (a *app) runExtract(c *cobra.Command, args []string, o *extractFlags) error {
	office, err := a.office()
	if err != nil {
		return err
	}
	if a.json {
		o.as = "json"
	}
	allowed := slices.Concat([]string{"day", "time"}, extract.Columns, extract.More)
	for _, name := range o.columns {
		if !slices.Contains(allowed, name) {
			return fault.Unknown("column of an extract", name, allowed)
		}
	}
	if o.pick.First < 0 || o.pick.After < 0 {
		return fault.Newf("--first and --after are numbers of occurrences").Do("write --first 10")
	}
	r, f := o.span(office)
	if f != nil {
		return f
	}
	x, err := job.ExtractCalendars(c.Context(), office, args, r)
	if err != nil {
		return err
	}
	if f := x.Select(o.pick); f != nil {
		return f
	}
	onScreen, err := a.writeExtract(office, x, o)
	if err != nil {
		return err
	}
	if !onScreen {
		a.problems().Absent(x.Absent)
	}
	if len(x.Faults) > 0 {
		if !onScreen {
			p := a.problems()
			for _, f := range x.Faults {
				p.Fault(f)
			}
		}
		return errLeft
	}
	return nil
}

func (a *app) writeExtract(office *job.Office, x *job.Extract, o *extractFlags) (onScreen bool, err error) {
	as := o.as
	if as == "" && o.csv != "" {
		as = "csv"
	}
	if o.csv != "" && as != "csv" {
		return false, fault.Newf("--csv is for a CSV file, and --as says %s", as).Do("leave one of them out")
	}
	if as == "" && o.out.path != "" {
		as = strings.TrimPrefix(strings.ToLower(filepath.Ext(o.out.path)), ".")
	}
	var b bytes.Buffer
	switch as {
	case "", "table", "txt":
		if o.out.path == "" {
			a.printer().Extract(x, o.columns)
			return true, nil
		}
		p := &show.Printer{W: show.NewScreen(&b, false)}
		p.Extract(x, o.columns)
	case "csv":
		switch o.csv {
		case "", "plain":
			columns := o.columns
			if len(columns) == 0 {
				columns = extract.Columns
			}
			err = show.CSV(&b, x.Rows, columns)
		case "excel":
			err = show.SpreadsheetCSV(&b, x, o.columns)
		default:
			return false, fault.Unknown("kind of CSV", o.csv, []string{"plain", "excel"})
		}
	case "json":
		err = show.JSON(&b, show.ExtractJSON(x.Rows, o.columns))
	case "xlsx":
		if o.out.path == "" && a.width > 0 {
			return false, fault.Newf("a workbook is no text for a screen").Do("name a file: --out april.xlsx")
		}
		err = show.Workbook(&b, x, o.columns)
	case "ics":
		err = show.ICalendar(&b, x, ical.NewTimeZones(office.Zones), office.Stamp())
	default:
		return false, fault.Unknown("form of an extract", as, show.Forms)
	}
	if err != nil {
		return false, err
	}
	return false, a.write(&o.out, b.Bytes(), show.Counted(len(x.Rows), "occurrence"))
}
