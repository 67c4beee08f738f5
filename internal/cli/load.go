package cli

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/agree"
	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/job"
)

// loadFlags are the flags of everything that reads a source for a calendar.
type loadFlags struct {
	file, into, name, sheet, take, rows, dayOrder, length, leaveOut, cancelWhen string
	key                                                                         []string
	allow                                                                       map[string]string
	header                                                                      string
	first                                                                       int
	all                                                                         bool
}

func (f *loadFlags) source(c *cobra.Command) {
	flags := c.Flags()
	flags.StringVar(&f.file, "file", "", "read this `FILE` instead of the intake's")
	flags.StringVar(&f.into, "into", "", "`CALENDAR` to load into: a name of the desk, or an .ics file")
	flags.StringArrayVar(&f.key, "key", nil, "`COLUMN` that identifies a row; several times for several columns")
	flags.StringVar(&f.name, "name", "", "`NAME` of the source, from which event IDs are derived (default: the file's, without dates and counters)")
	flags.StringVar(&f.sheet, "sheet", "", "`SHEET` of the workbook, by name or number")
	flags.StringVar(&f.header, "header", "", "`ROW` of the column names, two rows as 4-5, or none (default: found)")
	flags.StringVar(&f.dayOrder, "day-order", "", "`ORDER` of 05/03/2026: \"day first\", \"month first\" or \"year first\" (default: learnt from the column)")
	flags.StringVar(&f.length, "length", "", "`LENGTH` to assume for events without an end, such as 1h")
	flags.StringVar(&f.leaveOut, "leave-out", "", "leave out the rows that meet this `CONDITION`, such as 'State == \"draft\"'")
	flags.StringVar(&f.cancelWhen, "cancel-when", "", "cancel the events of the rows that meet this `CONDITION`")
}

func (f *loadFlags) load(c *cobra.Command) {
	f.source(c)
	flags := c.Flags()
	flags.StringVar(&f.take, "take", "", "settle disputes for the `SIDE` sheet or calendar, of the keys given after it")
	flags.IntVar(&f.first, "first", 0, "try only the first `N` rows")
	flags.StringVar(&f.rows, "rows", "", "try only these `ROWS`, such as 4-7,12")
	flags.StringToStringVar(&f.allow, "allow", nil, "let so many changes pass a guard, as in `removed=31`")
	flags.Lookup("allow").DefValue = "" // an empty map is not worth a mention
	flags.BoolVar(&f.all, "all", false, "list every row")
}

const sourceHelp = `INTAKE is an intake of the desk, the path of an intake file, or a table itself:
a spreadsheet, a CSV, JSON or HTML file or another calendar, whose columns are
then found by their headings and contents. A table needs --into and --key:

  almanach %s bookings.csv --into berths.ics --key "Booking no"`

func (a *app) preview() *cobra.Command {
	var f loadFlags
	c := &cobra.Command{
		Use:   "preview INTAKE…",
		Short: "Show what a load would do, row by row, with reasons; writes nothing",
		Long:  "Show what a load would do, row by row, with reasons. Nothing is written.\n\n" + strings.ReplaceAll(sourceHelp, "%s", "preview"),
		Args:  cobra.MinimumNArgs(1),
		RunE:  func(c *cobra.Command, args []string) error { return a.runLoad(c.Context(), &f, args, false) },
	}
	f.load(c)
	return c
}

func (a *app) load() *cobra.Command {
	var f loadFlags
	c := &cobra.Command{
		Use:   "load INTAKE… [--take SIDE KEY…]",
		Short: "Load rows into their calendar, never doubling one",
		Long: `Load rows into their calendar. Rows that are there already are compared with
what the calendar holds: what changed in the source is written, what someone
changed in the calendar is kept, and where both changed the same field nothing
is written until you settle it with --take.

` + strings.ReplaceAll(sourceHelp, "%s", "load"),
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error { return a.runLoad(c.Context(), &f, args, true) },
	}
	f.load(c)
	return c
}

func (a *app) runLoad(ctx context.Context, f *loadFlags, args []string, write bool) error {
	office, err := a.office()
	if err != nil {
		return err
	}
	var requests []job.LoadRequest
	intakes, keys := a.splitKeys(f, office, args)
	for _, name := range intakes {
		req, err := f.request(office, name)
		if err != nil {
			return err
		}
		if err := f.narrow(&req, keys); err != nil {
			return err
		}
		req.Write, req.All = write, f.all || a.json
		requests = append(requests, req)
	}
	var reports []any
	left := false
	for n, req := range requests {
		r, err := job.Load(ctx, office, req)
		if r != nil && (err == nil || len(r.Guards) > 0) {
			left = left || r.Left()
			if a.json {
				reports = append(reports, show.LoadJSON(r))
			} else {
				if n > 0 {
					a.printer().Gap()
				}
				a.printer().Load(r, show.LoadOptions{Loaded: write && err == nil, All: f.all})
			}
		}
		if err != nil {
			return err
		}
	}
	if a.json {
		var out any = reports
		if len(reports) == 1 {
			out = reports[0]
		}
		if err := show.JSON(a.out, out); err != nil {
			return err
		}
	}
	if left {
		return errLeft
	}
	return nil
}

// splitKeys tells the intakes from the keys that --take is for: the first
// argument that is an intake or a file is the intake, the others are keys.
func (a *app) splitKeys(f *loadFlags, office *job.Office, args []string) (intakes, keys []string) {
	if f.take == "" {
		return args, nil
	}
	for i, arg := range args {
		_, err := os.Stat(arg)
		for _, name := range office.Desk.Intakes() {
			if name == arg {
				err = nil
			}
		}
		if err == nil {
			return []string{arg}, append(append([]string{}, args[:i]...), args[i+1:]...)
		}
	}
	return args[:1], args[1:]
}

// isTable tells whether an argument is a table rather than an intake.
func isTable(name string) bool {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".yaml", ".yml", "":
		return false
	}
	return true
}

// request makes the request for one argument.
func (f *loadFlags) request(office *job.Office, name string) (job.LoadRequest, error) {
	req := job.LoadRequest{File: f.file, Into: f.into}
	if isTable(name) {
		in := &intake.Intake{Name: f.name, Key: f.key}
		if in.Name == "" {
			in.Name = intake.NameFromFile(name)
		}
		req.Intake, req.File, req.Match = in, name, true
		if len(f.key) == 0 {
			return req, fault.Newf("nothing says which column identifies a row of %s", name).Do(`give --key "COLUMN", such as a booking number`)
		}
		if f.into == "" {
			return req, fault.Newf("nothing says which calendar to load %s into", name).Do("give --into CALENDAR.ics")
		}
	} else {
		in, faults := office.Desk.Intake(name)
		if len(faults) > 0 {
			return req, job.Faults(faults)
		}
		req.Intake = in
		if len(f.key) > 0 {
			in.Key = f.key
		}
		if f.name != "" {
			in.Name, in.Identity = f.name, f.name
		}
	}
	return req, f.settings(req.Intake)
}

// settings applies the flags that stand for settings of an intake.
func (f *loadFlags) settings(in *intake.Intake) error {
	if f.sheet != "" {
		in.From.Sheet = f.sheet
	}
	if f.header != "" {
		rows, ok := table.ParseHeaderRows(f.header)
		if !ok {
			return fault.New(f.header, "is not a row of the header").Do("write --header 4, or 4-5, or none")
		}
		in.From.Header = rows
	}
	switch f.dayOrder {
	case "":
	case "day first", "day-first":
		in.Dates.Order = moment.DayFirst
	case "month first", "month-first":
		in.Dates.Order = moment.MonthFirst
	case "year first", "year-first":
		in.Dates.Order = moment.YearFirst
	default:
		return fault.Unknown("day order", f.dayOrder, []string{"day first", "month first", "year first"})
	}
	if f.length != "" {
		d, ok := moment.ParseLength(f.length)
		if !ok {
			return fault.New(f.length, "is not a length of time").Do("write --length 1h or 90min")
		}
		in.Assume.Length = d
	}
	if f.leaveOut != "" {
		in.SetLeaveOut(f.leaveOut)
	}
	if f.cancelWhen != "" {
		in.SetCancel(f.cancelWhen)
	}
	in.Defaults()
	return nil
}

// narrow applies the flags that are about this one run.
func (f *loadFlags) narrow(req *job.LoadRequest, keys []string) error {
	switch f.take {
	case "":
	case "sheet":
		req.Take = agree.TakeSheet
	case "calendar":
		req.Take = agree.TakeCalendar
	default:
		return fault.Unknown("side to take", f.take, []string{"sheet", "calendar"})
	}
	if f.take != "" && len(keys) == 0 {
		return fault.Newf("--take %s names no key", f.take).Do("give the keys it is for: --take %s KEY…", f.take)
	}
	req.Keys, req.First = keys, f.first
	if f.first < 0 {
		return fault.Newf("--first %d is not a number of rows", f.first)
	}
	if f.rows != "" {
		rows, err := parseRows(f.rows)
		if err != nil {
			return err
		}
		req.Rows = rows
	}
	req.Allow = map[string]int{}
	for what, number := range f.allow {
		n, err := strconv.Atoi(number)
		known := false
		for _, a := range job.Allowances {
			known = known || a == what
		}
		if !known {
			return fault.Unknown("thing to --allow", what, job.Allowances)
		}
		if err != nil || n < 1 {
			return fault.New(number, "is not a number for --allow "+what)
		}
		req.Allow[what] = n
	}
	return nil
}

// parseRows reads a list of row numbers: 4-7,12.
func parseRows(text string) (map[int]bool, error) {
	out := map[int]bool{}
	for part := range strings.SplitSeq(text, ",") {
		low, high, ranged := strings.Cut(strings.TrimSpace(part), "-")
		from, err := strconv.Atoi(strings.TrimSpace(low))
		to := from
		if ranged && err == nil {
			to, err = strconv.Atoi(strings.TrimSpace(high))
		}
		if err != nil || from < 1 || to < from || to-from > 1<<20 {
			return nil, fault.New(part, "is no row, and no range of rows").Do("write --rows 4-7,12")
		}
		for n := from; n <= to; n++ {
			out[n] = true
		}
	}
	return out, nil
}
