package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/agree"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/plan"
	"almanach/internal/core/table"
	"almanach/internal/job"
)

// loadFlags are the flags of everything that reads a source for a calendar.
type loadFlags struct {
	file, into, name, sheet, rows, dayOrder, lastDay, rangeWithTimes, unix, length, leaveOut, cancelWhen string
	title, start, end, repeat, without                                                                   []string
	key                                                                                                  []string
	allow                                                                                                map[string]string
	header                                                                                               string
	first, year                                                                                          int
	all, past                                                                                            bool
	takes                                                                                                takeFlag
	rekey, beside, restore, remove                                                                       []string
	show                                                                                                 []string
	heldTo                                                                                               outFile
	quiet                                                                                                bool
}

// takeFlag collects every --take. The keys that one settles are the arguments
// behind it, up to the next option.
type takeFlag struct {
	arguments func() int // read so far
	sides     []takenSide
}

type takenSide struct {
	side agree.Side
	name string
	from int // index of the first argument behind it
}

// String implements pflag.Value.
func (t *takeFlag) String() string { return "" }

// Type implements pflag.Value.
func (t *takeFlag) Type() string { return "side" }

// Set implements pflag.Value.
func (t *takeFlag) Set(text string) error {
	sides := map[string]agree.Side{"sheet": agree.Sheet, "calendar": agree.Calendar}
	if sides[text] == agree.Neither {
		return fault.New(text, "is not a side").Do("choose sheet or calendar: --take sheet KEY…")
	}
	t.sides = append(t.sides, takenSide{sides[text], text, t.arguments()})
	return nil
}

func (f *loadFlags) source(c *cobra.Command) {
	flags := c.Flags()
	flags.StringVar(&f.file, "file", "", "read this `FILE` instead of the intake's")
	flags.StringVar(&f.into, "into", "", "`CALENDAR` to load into: a name of the desk, or an .ics file")
	flags.StringArrayVar(&f.key, "key", nil, "`COLUMN` that identifies a row; several times for several columns")
	flags.StringArrayVar(&f.title, "title", nil, "`COLUMN` of a table with the title (default: found)")
	flags.StringArrayVar(&f.start, "start", nil, "`COLUMN` of a table with the start; twice for a date and its time (default: found)")
	flags.StringArrayVar(&f.end, "end", nil, "`COLUMN` of a table with the end, likewise, or none (default: found)")
	flags.StringVar(&f.name, "name", "", "`NAME` of the source, from which event IDs are derived (default: the file's, without dates and counters)")
	flags.StringVar(&f.sheet, "sheet", "", "`SHEET` of the workbook, by name or number")
	flags.StringVar(&f.header, "header", "", "`ROW` of the column names, two rows as 4-5, or none (default: found)")
	flags.StringVar(&f.dayOrder, "day-order", "", "`ORDER` of 05/03/2026: \"day first\", \"month first\" or \"year first\" (default: learnt from the column)")
	flags.IntVar(&f.year, "year", 0, "`YEAR` of dates without one (default: that of the title, else the nearest)")
	flags.StringVar(&f.rangeWithTimes, "range-with-times", "", "what two dates with times of day in other columns `MEAN`: one long event, or \"each day\" for one on each day (default: one where each date has a time of its own, and held where not)")
	flags.StringVar(&f.lastDay, "last-day", "", "whether the end of all-day events is their last `DAY`: included, or \"not included\" where it is the day after (default: included)")
	flags.StringVar(&f.unix, "unix", "", "bare numbers are Unix times in this `UNIT`: seconds, or milliseconds")
	flags.StringVar(&f.length, "length", "", "`LENGTH` to assume for events without an end, such as 1h; or the column of a table that holds it")
	flags.StringVar(&f.leaveOut, "leave-out", "", "leave out the rows that meet this `CONDITION`, such as 'State == \"draft\"'")
	flags.StringVar(&f.cancelWhen, "cancel-when", "", "cancel the events of the rows that meet this `CONDITION`")
}

func (f *loadFlags) load(c *cobra.Command) {
	f.source(c)
	flags := c.Flags()
	f.takes.arguments = flags.NArg
	flags.Var(&f.takes, "take", "settle what is disputed for the `SIDE` sheet or calendar, of the keys that follow; KEY:FIELD settles one field, edited ones too")
	flags.IntVar(&f.first, "first", 0, "try only the first `N` rows")
	flags.StringVar(&f.rows, "rows", "", "try only these `ROWS`, such as 4-7,12")
	flags.StringToStringVar(&f.allow, "allow", nil, "let so many changes pass a guard, as in `removed=31`")
	flags.Lookup("allow").DefValue = "" // an empty map is not worth a mention
	flags.StringArrayVar(&f.repeat, "repeat", nil, "`COLUMN` of a table with how its events repeat (default: found)")
	flags.StringArrayVar(&f.without, "without", nil, "`COLUMN` of a table that is of no field of the events, whatever it is called")
	flags.StringArrayVar(&f.rekey, "rekey", nil, "a row's key was changed: keep the event of the old one, as in `OLD=NEW`; all for every likely one")
	flags.StringArrayVar(&f.beside, "beside", nil, "make an event of its own for the row of this `KEY`, whatever it looks like; all for every row")
	flags.StringArrayVar(&f.restore, "restore", nil, "make the event of this `KEY` again, though someone deleted it in the calendar; all for every one")
	flags.StringArrayVar(&f.remove, "remove", nil, "delete the event of this `KEY`, whose row has gone, though people worked on it")
	flags.BoolVar(&f.all, "all", false, "list every row")
	flags.BoolVarP(&f.quiet, "quiet", "q", false, "list only what needs you: held, disputed, gone")
	flags.StringVar(&f.heldTo.path, "held-to", "", "write the held rows to this `FILE`, .csv or .xlsx, with the reasons, to be sent back and loaded with --file once they are corrected")
	flags.BoolVar(&f.heldTo.force, "force", false, "replace the file of --held-to")
	flags.BoolVar(&f.past, "past", false, "list events gone from the source that are past")
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
		Args:  takes(1, -1),
		RunE:  func(c *cobra.Command, args []string) error { return a.runLoad(c.Context(), &f, args, false) },
	}
	f.load(c)
	c.Flags().StringArrayVar(&f.show, "show", nil, "show every field of the event of this `KEY`, as it would stand")
	return c
}

func (a *app) load() *cobra.Command {
	var f loadFlags
	c := &cobra.Command{
		Use:   "load INTAKE… [--take SIDE KEY…]…",
		Short: "Load rows into their calendar, never doubling one",
		Long: `Load rows into their calendar. Rows that are there already are compared with
what the calendar holds: what changed in the source is written, what someone
changed in the calendar is kept, and where both changed the same field nothing
is written until you settle it with --take.

` + strings.ReplaceAll(sourceHelp, "%s", "load"),
		Args: takes(1, -1),
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
	intakes, takes, err := f.split(office, args)
	if err != nil {
		return err
	}
	var requests []job.LoadRequest
	for _, name := range intakes {
		req, err := f.request(office, name)
		if err != nil {
			return err
		}
		if err := f.narrow(&req); err != nil {
			return err
		}
		req.Ask = req.Match && a.terminal() && !a.json && !a.yes
		req.Takes, req.Write, req.All, req.Past = takes, write, f.all || a.json || len(f.show) > 0, f.past
		req.Brief, req.Held = !req.All, f.heldTo.path != ""
		req.Asked = fmt.Sprintf("%s %q", a.world.Version, a.world.Args)
		requests = append(requests, req)
	}
	var reports []any
	left, shown := false, len(f.show) > 0
	var stopped error
	for n, req := range requests {
		r, err := job.Load(ctx, office, req)
		for asked := map[string]bool{}; err != nil && a.choose(err, &req, asked); {
			r, err = job.Load(ctx, office, req)
		}
		if r != nil && r.HeldRows != nil {
			if e := a.writeHeld(&f.heldTo, r.HeldRows); e != nil {
				return e
			}
		}
		if shown && r != nil && !a.json {
			f.show = a.printer().Whole(r, f.show, office.Zones.Find)
			if len(f.show) > 0 && n == len(requests)-1 {
				return fault.New(f.show[0], "is not the key of a row of "+req.Intake.Name).Do("almanach preview %s --all lists every row", name(req))
			}
			continue
		}
		if a.json {
			reports = append(reports, show.LoadJSON(req.Intake.Name, r, err))
		} else if r != nil {
			if n > 0 {
				a.printer().Gap()
			}
			a.printer().Load(r, show.LoadOptions{Loaded: write, All: f.all, Past: f.past, Quiet: f.quiet})
		}
		left = left || err == nil && r.Left()
		if err != nil {
			stopped = stoppedBy(stopped, err, req.Intake.Name, len(requests) > 1)
			if ctx.Err() != nil {
				break
			}
		}
	}
	if a.json {
		var out any = reports
		if len(requests) == 1 {
			out = reports[0]
		}
		if err := show.JSON(a.world.Stdout, out); err != nil {
			return err
		}
	}
	switch {
	case stopped != nil:
		return stopped
	case left:
		return errLeft
	}
	return nil
}

// name is how a request's source is named on the command line.
func name(req job.LoadRequest) string {
	if req.OfDesk {
		return req.Intake.Name
	}
	return req.File
}

// choose has a person choose what stopped a request because nobody named it, each
// thing once.
func (a *app) choose(err error, req *job.LoadRequest, asked map[string]bool) bool {
	f := fault.Of(err)
	options := map[string]string{"key": "--key", "title": "--title", "start": "--start", "end": "--end", "length": "--length", "repeat": "--repeat", "sheet": "--sheet", "calendar": "--into"}
	option := options[f.Missing]
	if option == "" || len(f.Choices) == 0 || asked[f.Error()] || a.json || a.yes || !a.terminal() {
		return false
	}
	asked[f.Error()] = true
	a.problems().Fault(f)
	most := min(len(f.Choices), 9)
	to := a.world.screen(a.world.Stderr)
	for n, c := range f.Choices[:most] {
		fmt.Fprintf(to, "  %d  %s\n", n+1, strings.Join(c, " and "))
	}
	n, err := strconv.Atoi(a.askText("Which one? A number, or Enter to stop:", ""))
	if err != nil || n < 1 || n > most {
		return false
	}
	chosen := f.Choices[n-1]
	req.Asked = "" // it is more than what the command line says
	switch f.Missing {
	case "key":
		req.Intake.Key = chosen
	case "sheet":
		req.Intake.From.Sheet = chosen[0]
	case "calendar":
		req.Into = chosen[0]
	default:
		req.Fields = maps.Clone(req.Fields)
		if req.Fields == nil {
			req.Fields = map[string][]string{}
		}
		req.Fields[f.Missing] = chosen
	}
	fmt.Fprintf(to, "  the next time: %s\n\n", fault.Given(option, chosen))
	return true
}

// writeHeld writes the held rows to a file.
func (a *app) writeHeld(out *outFile, held *job.HeldTable) error {
	if len(held.Rows) == 0 {
		fmt.Fprintf(a.world.screen(a.world.Stderr), "nothing is held, so %s was not written\n", out.path)
		return nil
	}
	if held.None {
		return fault.New(out.path, "cannot be written: the source has no header, so its rows could not be told apart when they come back").Do("correct the rows in the source")
	}
	var b bytes.Buffer
	var err error
	switch strings.ToLower(filepath.Ext(out.path)) {
	case ".csv":
		err = show.HeldCSV(&b, held)
	case ".xlsx":
		err = show.HeldWorkbook(&b, held)
	default:
		return fault.New(out.path, "is neither .csv nor .xlsx").Do("name the file of --held-to held.csv or held.xlsx")
	}
	if err != nil {
		return err
	}
	return a.write(out, b.Bytes(), show.Counted(len(held.Rows), "held row"))
}

// stoppedBy adds what stopped one of several intakes to what stopped others.
func stoppedBy(earlier, err error, name string, several bool) error {
	if errors.Is(err, context.Canceled) {
		return err
	}
	var faults, before job.Faults
	if !errors.As(err, &faults) {
		faults = job.Faults{fault.Of(err)}
	}
	if several {
		for i, f := range faults {
			named := *f
			named.Cause = fault.Newf("%s: %w", name, f.Cause).Cause
			if named.Quoted || named.Place != (fault.Place{}) {
				named.Cause = f.Cause
			}
			faults[i] = &named
		}
	}
	errors.As(earlier, &before)
	return append(before, faults...)
}

// split tells the intakes from the keys that --take is for. The first arguments
// are intakes; what stands behind a --take are its keys. Where no argument
// stands in front of it, the first that is an intake or a file is the intake.
func (f *loadFlags) split(office *job.Office, args []string) (intakes []string, takes []plan.Take, err error) {
	sides := f.takes.sides
	if len(sides) == 0 {
		return args, nil, nil
	}
	intakes = append(intakes, args[:sides[0].from]...)
	for n, s := range sides {
		end := len(args)
		if n+1 < len(sides) {
			end = sides[n+1].from
		}
		keys := 0
		for _, arg := range args[s.from:end] {
			if len(intakes) == 0 && isIntake(office, arg) {
				intakes = append(intakes, arg)
				continue
			}
			takes = append(takes, plan.Take{Side: s.side, Key: arg})
			keys++
		}
		if keys == 0 {
			return nil, nil, fault.Newf("--take %s names no key", s.name).Do("give the keys it is for: --take %s KEY…", s.name)
		}
	}
	if len(intakes) == 0 {
		return nil, nil, fault.Newf("nothing says which intake to load").Do("name it first: almanach load INTAKE --take %s KEY…", sides[0].name)
	}
	return intakes, takes, nil
}

// isIntake tells whether an argument is an intake of the desk, or a file.
func isIntake(office *job.Office, arg string) bool {
	_, err := os.Stat(arg)
	return err == nil || slices.Contains(office.Desk.Intakes(), arg)
}

// isTable tells whether an argument is a table, or a folder of messages, rather than
// an intake. Of an intake and a folder of one name the intake is meant.
func isTable(office *job.Office, name string) bool {
	if name == "-" {
		return true
	}
	switch strings.ToLower(filepath.Ext(name)) {
	case ".yaml", ".yml":
		return false
	case "":
		info, err := os.Stat(name)
		return err == nil && !slices.Contains(office.Desk.Intakes(), name) && (info.IsDir() || strings.ContainsAny(name, `/\`))
	}
	return true
}

// request makes the request for one argument.
func (f *loadFlags) request(office *job.Office, name string) (job.LoadRequest, error) {
	req := job.LoadRequest{File: f.file, Into: f.into}
	if isTable(office, name) {
		in := &intake.Intake{Name: f.name, Key: f.key}
		if in.Name == "" {
			in.Name = "standard-input"
			if name != "-" {
				in.Name = intake.NameFromFile(name)
			}
		}
		req.Intake, req.File, req.Match = in, name, true
	} else {
		in, faults := office.Desk.Intake(name)
		if len(faults) > 0 {
			return req, job.Faults(faults)
		}
		req.Intake, req.OfDesk = in, office.Desk.Owns(name)
		if len(f.key) > 0 {
			in.Key = f.key
		}
		if f.name != "" {
			in.Name, in.Identity = f.name, f.name
		}
	}
	if len(f.without) > 0 && !req.Match {
		return req, fault.Newf("--without is for tables that no intake describes: %s names the columns that it reads", name).Do("change the intake")
	}
	length := []string{}
	if f.length != "" && !f.assumes() {
		length = append(length, f.length)
	}
	for field, columns := range map[string][]string{"title": f.title, "start": f.start, "end": f.end, "length": length, "repeat": f.repeat, match.None: f.without} {
		if len(columns) > 0 && req.Fields == nil {
			req.Fields = map[string][]string{}
		}
		if len(columns) > 0 {
			req.Fields[field] = columns
		}
	}
	return req, f.settings(req.Intake)
}

// assumes tells whether --length is a length, and no column.
func (f *loadFlags) assumes() bool {
	_, length := moment.ParseLength(f.length)
	return length || f.length != "" && strings.ContainsAny(f.length[:1], "0123456789-+.")
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
	if f.year != 0 {
		if f.year < 1900 || f.year > 2200 {
			return fault.New(strconv.Itoa(f.year), "is not a year").Do("write --year 2026")
		}
		in.Dates.Year = f.year
	}
	switch f.lastDay {
	case "":
	case "included", "not included", "not-included":
		in.LastDay = strings.ReplaceAll(f.lastDay, "-", " ")
	default:
		return fault.Unknown("choice for --last-day", f.lastDay, []string{"included", "not included"})
	}
	switch f.rangeWithTimes {
	case "":
	case "one", "each day", "each-day":
		in.RangeWithTimes = strings.ReplaceAll(f.rangeWithTimes, "-", " ")
	default:
		return fault.Unknown("choice for --range-with-times", f.rangeWithTimes, []string{"one", "each day"})
	}
	switch f.unix {
	case "":
	case "seconds":
		in.Dates.Unix = time.Second
	case "milliseconds":
		in.Dates.Unix = time.Millisecond
	default:
		return fault.Unknown("unit for --unix", f.unix, []string{"seconds", "milliseconds"})
	}
	if f.assumes() {
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
func (f *loadFlags) narrow(req *job.LoadRequest) error {
	req.First = f.first
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
	if err := f.pairs(&req.Pairs); err != nil {
		return err
	}
	req.Restore, req.Remove = map[string]bool{}, map[string]bool{}
	for _, key := range f.remove {
		req.Remove[identity.NormalText(key)] = true
	}
	for _, key := range f.restore {
		if key == "all" {
			req.RestoreAll = true
			continue
		}
		req.Restore[identity.NormalText(key)] = true
	}
	req.Allow = map[string]int{}
	for what, number := range f.allow {
		n, err := strconv.Atoi(number)
		if !slices.Contains(plan.Allowances, what) {
			return fault.Unknown("thing to --allow", what, plan.Allowances)
		}
		if err != nil || n < 1 {
			return fault.New(number, "is not a number for --allow "+what)
		}
		req.Allow[what] = n
	}
	return nil
}

// pairs applies the flags that say which rows and events are one.
func (f *loadFlags) pairs(p *plan.Pairs) error {
	p.Rekey, p.Beside = map[string]string{}, map[string]bool{}
	for _, text := range f.rekey {
		old, key, ok := strings.Cut(text, "=")
		old, key = identity.NormalText(old), identity.NormalText(key)
		switch {
		case text == "all":
			p.RekeyAll = true
		case !ok || old == "" || key == "":
			return fault.New(text, "is not what --rekey takes").Do("write the old key and the new one, as in --rekey TH-1042=TH-1062, or all")
		default:
			p.Rekey[key] = old
		}
	}
	for _, key := range f.beside {
		if key == "all" {
			p.BesideAll = true
		}
		p.Beside[identity.NormalText(key)] = true
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
