package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/edge/calendar"
	"almanach/internal/job"
)

func (a *app) calendars() *cobra.Command {
	check, create := false, false
	var server calendar.Server
	c := &cobra.Command{
		Use:   "calendars [NAME… | URL]",
		Short: "List the desk's calendars, check and make them; or those of an account on a server",
		Long: `List the calendars of the desk with how many events each holds; --check tries
whether they can be written to, --make makes one on its server. Given the address
of a server, it lists the calendars of the account there:

  almanach calendars
  almanach calendars pilots --check
  almanach calendars https://calendar.tarn-haven.example/ --user clerk --password-env PILOTS_PASSWORD`,
		RunE: func(c *cobra.Command, args []string) error {
			return a.runCalendars(c.Context(), args, check, create, server)
		},
	}
	c.Flags().BoolVar(&check, "check", false, "try to write an event to each calendar on a server, and take it out again")
	c.Flags().BoolVar(&create, "make", false, "make the named calendars on their server")
	c.Flags().StringVar(&server.User, "user", "", "`NAME` to log in with at the URL")
	c.Flags().StringVar(&server.Password.Env, "password-env", "", "`VARIABLE` of the environment that holds the password for the URL")
	return c
}

func (a *app) runCalendars(ctx context.Context, args []string, check, create bool, server calendar.Server) error {
	office, err := a.office()
	if err != nil {
		return err
	}
	if len(args) > 0 && strings.Contains(args[0], "://") {
		server.URL = args[0]
		list, err := job.AccountCalendars(ctx, office, server)
		if err != nil {
			return err
		}
		if a.json {
			return show.JSON(a.world.Stdout, list)
		}
		a.printer().Account(list)
		return nil
	}
	if create {
		if len(args) == 0 {
			return fault.Newf("nothing says which calendar to make").Do("name it: almanach calendars NAME --make")
		}
		for _, name := range args {
			if err := job.MakeCalendar(ctx, office, name); err != nil {
				return err
			}
		}
	}
	list, err := job.Calendars(ctx, office, args, check)
	if err != nil {
		return err
	}
	if a.json {
		return show.JSON(a.world.Stdout, show.CalendarsJSON(list))
	}
	a.printer().DeskCalendars(list, check)
	for _, s := range list {
		if s.Fault != nil {
			return errLeft
		}
	}
	return nil
}
