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
	"almanach/internal/job"
)

func (a *app) extract() *cobra.Command {
	var from, to, as string
	var out outFile
	var columns []string
	c := &cobra.Command{
		Use:   "extract [CALENDAR…]",
		Short: "List every event of a date range, with every repeating event expanded",
		Long: `List every event of a date range in calendars, with every repeating
event expanded. CALENDAR is a name of the desk or an .ics file; without one, all
calendars of the desk are taken. Both days of the range are included; without
--from it begins today, without --to it is a week.`,
		Example: "  almanach extract berths --from 2026-03-02 --to 2026-03-08\n  almanach extract berths.ics --from tomorrow --as csv --out week.csv",
		RunE: func(c *cobra.Command, args []string) error {
			office, err := a.office()
			if err != nil {
				return err
			}
			if a.json {
				as = "json"
			}
			allowed := slices.Concat([]string{"day", "time"}, extract.Columns, extract.More)
			for _, name := range columns {
				if !slices.Contains(allowed, name) {
					return fault.Unknown("column of an extract", name, allowed)
				}
			}
			r, f := office.ParseRange(from, to)
			if f != nil {
				return f
			}
			x, err := job.ExtractCalendars(c.Context(), office, args, r)
			if err != nil {
				return err
			}
			if err := a.writeExtract(x, as, &out, columns); err != nil {
				return err
			}
			if len(x.Faults) > 0 {
				if as != "" {
					p := a.problems()
					for _, f := range x.Faults {
						p.Fault(f)
					}
				}
				return errLeft
			}
			return nil
		},
	}
	flags := c.Flags()
	flags.StringVar(&from, "from", "", "first `DAY`, or a date and time (default: today)")
	flags.StringVar(&to, "to", "", "last `DAY`, included, or a date and time (default: a week)")
	flags.StringVar(&as, "as", "", "`FORM` to write: table, csv or json (default: table, or what --out ends in)")
	out.add(c)
	flags.StringSliceVar(&columns, "columns", nil, "`COLUMNS` to show, with commas between: "+strings.Join(slices.Concat(extract.Columns, extract.More), ", "))
	return c
}

func (a *app) writeExtract(x *job.Extract, as string, out *outFile, columns []string) error {
	if as == "" && out.path != "" {
		as = strings.TrimPrefix(strings.ToLower(filepath.Ext(out.path)), ".")
	}
	var b bytes.Buffer
	switch as {
	case "", "table":
		p := a.printer()
		if out.path == "" {
			p.Extract(x, columns)
			return nil
		}
		p = &show.Printer{W: show.NewScreen(&b, false)}
		p.Extract(x, columns)
	case "csv":
		if len(columns) == 0 {
			columns = extract.Columns
		}
		if err := show.CSV(&b, x.Rows, columns); err != nil {
			return err
		}
	case "json":
		if err := show.JSON(&b, show.ExtractJSON(x.Rows, columns)); err != nil {
			return err
		}
	default:
		return fault.Unknown("form of an extract", as, []string{"table", "csv", "json"})
	}
	return a.write(out, b.Bytes())
}
