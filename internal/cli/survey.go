package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/table"
	"almanach/internal/job"
)

// surveyFlags say which part of a file is looked at.
type surveyFlags struct {
	from   intake.From
	header string
}

func (f *surveyFlags) add(c *cobra.Command) {
	flags := c.Flags()
	flags.StringVar(&f.from.Sheet, "sheet", "", "`SHEET` of the workbook, by name or number")
	flags.StringVar(&f.from.Range, "range", "", "`CELLS` that hold the table, such as B4:H30")
	flags.StringVar(&f.header, "header", "", "`ROW` of the column names, two rows as 4-5, or none (default: found)")
	flags.StringVar(&f.from.Records, "records", "", "`PATH` of the list of records in a JSON document, such as data.bookings")
	flags.BoolVar(&f.from.Hidden, "hidden", false, "read hidden rows and columns too")
}

func (f *surveyFlags) survey(a *app, c *cobra.Command, path string) (*job.Survey, *job.Office, error) {
	office, err := a.office()
	if err != nil {
		return nil, nil, err
	}
	var ok bool
	if f.from.Header, ok = table.ParseHeaderRows(f.header); !ok {
		return nil, nil, fault.New(f.header, "is not a row of the header").Do("write --header 4, or 4-5, or none")
	}
	s, err := job.SurveyFile(c.Context(), office, path, f.from)
	a.progress.end()
	return s, office, err
}

func (a *app) survey() *cobra.Command {
	var f surveyFlags
	c := &cobra.Command{
		Use:   "survey FILE",
		Short: "Show what a file holds: sheets, columns, dates, and what can be a key",
		Long: `Show what a file holds: its sheets, the header found, each column's kind, how
full it is and what it suits, how its dates are read and why, and which columns
can serve as a key. FILE is a workbook (.xlsx, .ods), separated values, JSON, a
web page with tables, a calendar (.ics), or - for standard input.`,
		Args: takes(1, 1),
		RunE: func(c *cobra.Command, args []string) error {
			s, _, err := f.survey(a, c, args[0])
			if err != nil {
				return err
			}
			if a.json {
				return show.JSON(a.world.Stdout, show.SurveyJSON(s))
			}
			a.printer().Survey(s)
			return nil
		},
	}
	f.add(c)
	return c
}

func (a *app) draft() *cobra.Command {
	var f surveyFlags
	var name, out string
	var schema bool
	c := &cobra.Command{
		Use:   "draft FILE",
		Short: "Write a first intake for a file, to be finished by hand",
		Long: `Survey a file and write a first intake for it, with comments that say how sure
each part is. On a desk it goes among the intakes, elsewhere into this folder.
An intake that exists already is never touched.

With --schema it prints the JSON Schema of intake files instead, for editors.`,
		Args: takes(0, 1),
		RunE: func(c *cobra.Command, args []string) error {
			switch {
			case schema:
				return show.JSON(a.world.Stdout, intake.Schema())
			case len(args) == 0:
				return fault.Newf("nothing says which file to draft an intake for").Do("name it: almanach draft FILE")
			}
			s, office, err := f.survey(a, c, args[0])
			if err != nil {
				return err
			}
			path, err := job.Draft(office, s, name, out)
			if err != nil {
				return err
			}
			text, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			problem := ""
			if s.Problem != nil {
				problem = s.Problem.Cause.Error()
			}
			if a.json {
				err = show.JSON(a.world.Stdout, map[string]string{"file": path, "text": string(text), "problem": problem})
			} else {
				a.printer().Draft(path, string(text))
				if problem != "" {
					fmt.Fprintf(a.world.Stderr, "almanach: it is not complete: %s\n", problem)
				}
			}
			if err == nil && problem != "" {
				return errLeft
			}
			return err
		},
	}
	f.add(c)
	c.Flags().StringVar(&name, "name", "", "`NAME` of the intake (default: the file's, without dates and counters)")
	c.Flags().StringVar(&out, "out", "", "write to this `FILE`")
	c.Flags().BoolVar(&schema, "schema", false, "print the JSON Schema of intake files")
	return c
}
