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
	from, to, in, as, csv string
	out                   outFile
	columns               []string
	pick                  job.Selection
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
	flags.StringVar(&x.from, "from", "", "first `DAY`, or a date and time, or words (default: today)")
	flags.StringVar(&x.to, "to", "", "last `DAY`, included, or a date and time, or +4w (default: a week)")
	flags.StringVar(&x.in, "in", "", "the `SPAN` in words, instead of both: today, this week, next month, \"april 2027\", 2027")
	flags.StringVar(&x.pick.Find, "find", "", "only what holds this `TEXT` in its title, place, notes, people or key")
	flags.StringVar(&x.pick.Where, "where", "", "only what meets this `CONDITION`, such as 'location startsWith \"Berth\"'")
	flags.StringSliceVar(&x.pick.Sort, "sort", nil, "order by these `COLUMNS`; - in front for the last first")
	flags.IntVar(&x.pick.First, "first", 0, "only the first `N`")
	flags.IntVar(&x.pick.After, "after", 0, "leave out the first `M`")
	flags.StringVar(&x.as, "as", "", "`FORM` to write: "+strings.Join(show.Forms, ", ")+" (default: table, or what --out ends in)")
	flags.StringVar(&x.csv, "csv", "", "kind of CSV: plain, or `excel` for spreadsheets: semicolons, a mark of UTF-8, date and time in two columns")
	x.out.add(c)
	flags.StringSliceVar(&x.columns, "columns", nil, "`COLUMNS` to show, with commas between: "+strings.Join(slices.Concat(extract.Columns, extract.More), ", "))
	c.MarkFlagsMutuallyExclusive("in", "from")
	c.MarkFlagsMutuallyExclusive("in", "to")
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
	var r job.Range
	var f *fault.Fault
	if o.in != "" {
		r, f = office.ParseSpan(o.in)
	} else {
		r, f = office.ParseRange(o.from, o.to)
	}
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
	if err := a.writeExtract(office, x, o); err != nil {
		return err
	}
	if len(x.Faults) > 0 {
		if o.as != "" {
			p := a.problems()
			for _, f := range x.Faults {
				p.Fault(f)
			}
		}
		return errLeft
	}
	return nil
}

func (a *app) writeExtract(office *job.Office, x *job.Extract, o *extractFlags) error {
	as := o.as
	if as == "" && o.csv != "" {
		as = "csv"
	}
	if as == "" && o.out.path != "" {
		as = strings.TrimPrefix(strings.ToLower(filepath.Ext(o.out.path)), ".")
	}
	var b bytes.Buffer
	var err error
	switch as {
	case "", "table", "txt":
		p := a.printer()
		if o.out.path == "" {
			p.Extract(x, o.columns)
			return nil
		}
		p = &show.Printer{W: show.NewScreen(&b, false)}
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
			return fault.Unknown("kind of CSV", o.csv, []string{"plain", "excel"})
		}
	case "json":
		err = show.JSON(&b, show.ExtractJSON(x.Rows, o.columns))
	case "xlsx":
		if o.out.path == "" && a.width > 0 {
			return fault.Newf("a workbook is no text for a screen").Do("name a file: --out april.xlsx")
		}
		err = show.Workbook(&b, x, o.columns)
	case "ics":
		err = show.ICalendar(&b, x, ical.NewTimeZones(office.Zones), office.Stamp())
	default:
		return fault.Unknown("form of an extract", as, show.Forms)
	}
	if err != nil {
		return err
	}
	return a.write(&o.out, b.Bytes())
}
