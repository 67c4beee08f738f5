package cli

import (
	"context"
	"strconv"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/core/plan"
	"almanach/internal/job"
)

func (a *app) twins() *cobra.Command {
	var allow map[string]string
	remove := false
	c := &cobra.Command{
		Use:   "twins [CALENDAR…]",
		Short: "Find events of a calendar that look like one, and remove the spare ones",
		Long: `Find events of a calendar that look like one: at the same time and with like
titles, loaded or made by hand. What differs is shown, and which one could go
without anything being lost. --remove takes those out; the logbook keeps them
whole, and undo brings them back. Without a CALENDAR all of the desk are looked at.`,
		Args: takes(0, -1),
		RunE: func(c *cobra.Command, args []string) error { return a.runTwins(c.Context(), args, remove, allow) },
	}
	c.Flags().BoolVar(&remove, "remove", false, "take the spare one of each pair out, where nothing is lost with it")
	c.Flags().StringToStringVar(&allow, "allow", nil, "let so many events be taken out at once, as in `removed=31`")
	c.Flags().Lookup("allow").DefValue = ""
	return c
}

func (a *app) runTwins(ctx context.Context, args []string, remove bool, allow map[string]string) error {
	office, err := a.office()
	if err != nil {
		return err
	}
	z, _, f := office.DefaultZone()
	if f != nil {
		return f
	}
	if len(args) == 0 {
		args = office.Desk.Calendars()
	}
	if len(args) == 0 {
		return fault.Newf("nothing says which calendar").Do("name a calendar of the desk, or an .ics file")
	}
	req := job.TwinsRequest{Remove: remove, Allow: map[string]int{}}
	for what, number := range allow {
		n, err := strconv.Atoi(number)
		if what != plan.AllowRemoved || err != nil || n < 1 {
			return fault.New(what+"="+number, "is not what --allow takes here").Do("write --allow removed=N")
		}
		req.Allow[what] = n
	}
	left := false
	var reports []any
	for n, name := range args {
		req.Calendar = name
		r, err := job.Twins(ctx, office, req)
		if r != nil && a.json {
			reports = append(reports, show.TwinsJSON(r))
		} else if r != nil {
			if n > 0 {
				a.printer().Gap()
			}
			a.printer().Twins(r, z, remove && err == nil)
		}
		if err != nil {
			return err
		}
		left = left || len(r.Twins) > len(r.Edits) || len(r.Twins) > 0 && !remove
	}
	if a.json {
		if err := show.JSON(a.world.Stdout, reports); err != nil {
			return err
		}
	}
	if left {
		return errLeft
	}
	return nil
}
