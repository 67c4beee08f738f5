package cli

import (
	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/job"
)

func (a *app) adopt() *cobra.Command {
	var f loadFlags
	above := 0
	try := false
	c := &cobra.Command{
		Use:   "adopt INTAKE [KEY…]",
		Short: "Take events over that someone made by hand, for the rows they look like",
		Long: `Take events over that someone made by hand, for the rows that they look like.
Nothing else of such an event is changed: where it differs from its row it stays
as it stands, until the sheet says something new. Rows are named by their keys,
or all are taken that are alike from a number of per cent on:

  almanach adopt berth-bookings TH-1042
  almanach adopt berth-bookings --above 90

Without keys and without --above it shows which rows look like such an event.`,
		Args: takes(1, -1),
		RunE: func(c *cobra.Command, args []string) error {
			office, err := a.office()
			if err != nil {
				return err
			}
			req, err := f.request(office, args[0])
			if err != nil {
				return err
			}
			if above < 0 || above > 100 {
				return fault.Newf("--above %d is not a number of per cent", above).Do("give a number from 1 to 100")
			}
			req.All, req.Pairs.Only = a.json, true
			req.Write = !try && (len(args) > 1 || above > 0)
			req.Allow = map[string]int{}
			req.Pairs.Adopt, req.Pairs.AdoptFrom = map[string]bool{}, above
			for _, key := range args[1:] {
				req.Pairs.Adopt[identity.NormalText(key)] = true
			}
			r, err := job.Load(c.Context(), office, req)
			if a.json {
				if err := show.JSON(a.world.Stdout, show.LoadJSON(req.Intake.Name, r, err)); err != nil {
					return err
				}
			} else if r != nil && r.Totals.Rows == 0 && err == nil {
				a.printer().Say("no row that has no event yet looks like one that someone made by hand")
			} else if r != nil {
				a.printer().Load(r, show.LoadOptions{Loaded: req.Write})
			}
			switch {
			case err != nil:
				return err
			case r.Left():
				return errLeft
			}
			return nil
		},
	}
	f.source(c)
	c.Flags().IntVar(&above, "above", 0, "take over all that are alike from so many per cent on, as in `90`")
	c.Flags().BoolVar(&try, "preview", false, "only show what would be taken over")
	return c
}
