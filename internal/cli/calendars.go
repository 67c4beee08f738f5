package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/image/colornames"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/edge/calendar"
	"almanach/internal/job"
)

func (a *app) calendars() *cobra.Command {
	var f calendarFlags
	c := &cobra.Command{
		Use:   "calendars [NAME… | URL]",
		Short: "List the desk's calendars, check and make them; or those of an account on a server",
		Long: `List the calendars of the desk with how many events each holds; --check tries
whether they can be written to, --make makes one on its server, --title and --colour
change how people see it. Given the address of a server, it lists the calendars of
the account there:

  almanach calendars
  almanach calendars pilots --check
  almanach calendars pilots --make --title "Pilots on duty" --colour teal
  almanach calendars https://calendar.tarn-haven.example/ --user clerk --password-env PILOTS_PASSWORD`,
		RunE: func(c *cobra.Command, args []string) error {
			return a.runCalendars(c.Context(), args, f)
		},
	}
	flags := c.Flags()
	flags.BoolVar(&f.check, "check", false, "try to write an event to each calendar on a server, and take it out again")
	flags.BoolVar(&f.create, "make", false, "make the named calendars on their server")
	flags.StringVar(&f.title, "title", "", "`NAME` that people see the calendar under on its server")
	flags.StringVar(&f.colour, "colour", "", "`COLOUR` of the calendar on its server: teal, or #008080")
	flags.StringVar(&f.server.User, "user", "", "`NAME` to log in with at the URL")
	flags.StringVar(&f.server.Password.Env, "password-env", "", "`VARIABLE` of the environment that holds the password for the URL")
	flags.StringVar(&f.server.Token.Env, "token-env", "", "`VARIABLE` of the environment that holds a bearer's token for the URL")
	return c
}

// calendarFlags are the flags of calendars.
type calendarFlags struct {
	check, create bool
	title, colour string
	server        calendar.Server // of an account
}

func (a *app) runCalendars(ctx context.Context, args []string, f calendarFlags) error {
	office, err := a.office()
	if err != nil {
		return err
	}
	if len(args) > 0 && strings.Contains(args[0], "://") {
		f.server.URL = args[0]
		list, err := job.AccountCalendars(ctx, office, f.server)
		if err != nil {
			return err
		}
		if a.json {
			return show.JSON(a.world.Stdout, list)
		}
		a.printer().Account(list)
		return nil
	}
	if err := a.changeCalendars(ctx, office, args, f); err != nil {
		return err
	}
	list, err := job.Calendars(ctx, office, args, f.check)
	if err != nil {
		return err
	}
	if a.json {
		return show.JSON(a.world.Stdout, show.CalendarsJSON(list))
	}
	a.printer().DeskCalendars(list, f.check)
	for _, s := range list {
		if s.Fault != nil {
			return errLeft
		}
	}
	return nil
}

// changeCalendars makes calendars on their servers, and names and colours them.
func (a *app) changeCalendars(ctx context.Context, office *job.Office, names []string, f calendarFlags) error {
	if len(names) == 0 && (f.create || f.title+f.colour != "") {
		return fault.Newf("nothing says which calendar is meant").Do("name it: almanach calendars NAME --make")
	}
	if f.title != "" && len(names) > 1 {
		return fault.Newf("--title is for one calendar, and %d are named", len(names)).Do("give each its own title")
	}
	colour, ok := "", true
	if f.colour != "" {
		colour, ok = hexColour(f.colour)
	}
	if !ok {
		return fault.New(f.colour, "is not a colour").Do("give a name of CSS such as teal, or #008080")
	}
	for _, name := range names {
		if f.create {
			if err := job.MakeCalendar(ctx, office, name); err != nil {
				return err
			}
		}
		if f.title+f.colour != "" {
			if err := job.DescribeCalendar(ctx, office, name, f.title, colour); err != nil {
				return err
			}
		}
	}
	return nil
}

// hexColour gives a colour as #RRGGBB: one of CSS by its name, or one written so.
func hexColour(text string) (string, bool) {
	if c, ok := colornames.Map[strings.ToLower(text)]; ok {
		return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B), true
	}
	digits, ok := strings.CutPrefix(strings.ToLower(text), "#")
	return "#" + digits, ok && len(digits) == 6 && strings.Trim(digits, "0123456789abcdef") == ""
}
