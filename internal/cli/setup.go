package cli

import (
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/edge/desk"
	"almanach/internal/job"
)

func (a *app) setup() *cobra.Command {
	var req job.SetupRequest
	var from []string
	c := &cobra.Command{
		Use:   "setup [FOLDER]",
		Short: "Make a desk: the folder that holds your calendars, sources and intakes",
		Long: `Make a desk in a folder (this one, unless you name another): almanach.yaml with
comments, intakes/ and inbox/. On a terminal you are asked for what is not given.
In a desk that is there already only what is missing is added. With --from an
intake is drafted for each file.`,
		Example: "  almanach setup harbour\n  almanach setup harbour --zone Europe/Lisbon --calendar berths --from bookings.xlsx",
		Args:    takes(0, 1),
		RunE: func(c *cobra.Command, args []string) error {
			req.Dir = "."
			if len(args) > 0 {
				req.Dir = args[0]
			}
			return a.runSetup(c, req, from)
		},
	}
	flags := c.Flags()
	flags.StringVar(&req.Calendar, "calendar", "", "`NAME` of the first calendar (default: main)")
	flags.StringVar(&req.Place, "place", "", "`FOLDER` of the calendar files, or the address of a calendar on a server (default: calendars)")
	flags.StringVar(&req.User, "user", "", "`NAME` to log in to the server with")
	flags.StringArrayVar(&from, "from", nil, "draft an intake for this `FILE`; several times for several files")
	return c
}

func (a *app) runSetup(c *cobra.Command, req job.SetupRequest, from []string) error {
	zones, err := a.zones()
	if err != nil {
		return err
	}
	fresh := !job.IsDesk(req.Dir)
	req.Zone = a.zone
	if req.Zone == "" {
		req.Zone = a.localZone()
	}
	if req.Zone == "" {
		req.Zone = "UTC"
	}
	if fresh && a.terminal() && !a.yes {
		if a.zone == "" {
			for {
				req.Zone = a.askText("In which time zone are times that name none?", req.Zone)
				if _, err := zones.Find(req.Zone); err == nil || a.hungUp {
					break
				}
				a.problems().Fault(zones.Unknown(req.Zone))
			}
		}
		if req.Place == "" {
			req.Place = a.askText("Where are the calendars: a folder, or the address of a calendar on a server?", "calendars")
		}
		if strings.Contains(req.Place, "://") && req.User == "" {
			req.User = a.askText("With which name do you log in there?", "")
		}
		if req.Calendar == "" {
			req.Calendar = a.askText("What is the first calendar called?", "main")
		}
	}
	if req.Calendar == "" {
		req.Calendar = "main"
	}
	if req.Place == "" {
		req.Place = "calendars"
	}
	if _, err := zones.Find(req.Zone); err != nil {
		return zones.Unknown(req.Zone)
	}
	if strings.ContainsAny(req.Calendar, `/\:*?"<>|`) {
		return fault.New(req.Calendar, "cannot be the name of a calendar").Do("use letters, digits and hyphens")
	}
	made, err := job.SetUp(req)
	if err != nil {
		return err
	}
	if d, faults := desk.Find(req.Dir); len(faults) > 0 || d == nil {
		return job.Faults(faults)
	}
	var drafted []string
	for _, file := range from {
		path, err := a.draftFor(c, req.Dir, file)
		if err != nil {
			return err
		}
		drafted = append(drafted, path)
	}
	if a.json {
		return show.JSON(a.world.Stdout, show.SetupJSON(made, drafted))
	}
	a.printer().Setup(made, drafted, fresh)
	return nil
}

// draftFor drafts an intake for a file on a desk.
func (a *app) draftFor(c *cobra.Command, dir, file string) (string, error) {
	was := a.desk
	a.desk = dir
	defer func() { a.desk = was }()
	var f surveyFlags
	s, office, err := f.survey(a, c, file)
	if err != nil {
		return "", err
	}
	path, err := job.Draft(office, s, intake.NameFromFile(filepath.Base(file)), "")
	if err == nil && s.Problem != nil {
		fmt.Fprintf(a.world.Stderr, "almanach: %s is not complete: %s\n", path, s.Problem.Cause)
	}
	return path, err
}
