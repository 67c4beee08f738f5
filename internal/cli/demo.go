package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/charmbracelet/x/ansi"
	"github.com/spf13/cobra"

	"almanach/demo"
	"almanach/internal/core/fault"
	"almanach/internal/job"
)

func (a *app) demo() *cobra.Command {
	return &cobra.Command{
		Use:   "demo [FOLDER]",
		Short: "Lay out the demo desk in a folder and walk the whole job on it",
		Long: `Lay out the desk of the harbour office of Tarn Haven, an invented port, in a
folder (tarn-haven, unless you name another), and walk the whole job on it:
preview, load, load again, a changed sheet, extract, reconcile, undo. Every command is
shown before it runs, so that you can repeat each one yourself.`,
		Args: takes(0, 1),
		RunE: func(c *cobra.Command, args []string) error {
			dir := ""
			if len(args) > 0 {
				dir = args[0]
			}
			dir, err := job.LayOut(dir)
			if err != nil {
				return err
			}
			return a.walk(c.Context(), dir)
		},
	}
}

// demoStep is one step of the walk: why it is done, what happens in the
// office before it, and the command.
type demoStep struct {
	why    string
	before func(dir string) error
	args   []string
	codes  []int // exit codes it may end with
}

func demoSteps(dir string) []demoStep {
	week := []string{"--from", demo.From, "--to", demo.To}
	return []demoStep{
		{why: "A workbook has come. What is in it? The columns, what they suit, how the dates are read, and what can be the key.",
			args: []string{"survey", filepath.Join(dir, "inbox", "berth-bookings.xlsx")}, codes: []int{exitDone}},
		{why: "The agents have sent the week's berth bookings. See what a load would do before anything is written. Two calls share a number, one time cannot be read: these are held, with the reason.",
			args: []string{"preview", "berth-bookings"}, codes: []int{exitLeft}},
		{why: "Load it. Rows that are held wait; everything else is in the calendar.",
			args: []string{"load", "berth-bookings"}, codes: []int{exitLeft}},
		{why: "Load it again, as happens. Nothing is new, nothing changes, nothing is doubled.",
			args: []string{"load", "berth-bookings"}, codes: []int{exitLeft}},
		{why: "The rest of the inbox: the ferry timetable, whose rows are series with days left out; the fairway closures from a page, whole days; the pilots' roster, each duty into its pilot's own calendar.",
			args: []string{"load", "ferries", "closures", "pilots"}, codes: []int{exitDone}},
		{why: "A notice has come as a PDF, and three mails of an agent. What is in their text? Each event with the words it was read from; what is crossed out, a deadline, or not settled, makes none.",
			args: []string{"load", "notices", "agents"}, codes: []int{exitLeft}},
		{why: "One more, as someone says it on the telephone.",
			args: []string{"jot", "Rope store inspection, Quay 2, Thursday half past three for 45 min", "--into", "works", "--yes"}, codes: []int{exitDone}},
		{why: "Next day. A new sheet has come: one call moved, one was withdrawn, one has another number, one is added, the unreadable time and the doubled number are corrected. Meanwhile someone moved Marram Light to berth 6 in the calendar, deleted Tern of Haven there, wrote Ebba Strand's next call in by hand, and moved Corvane to half past three, which the sheet moved to two o'clock. What did not collide goes in, what people did is kept, the rest is yours to settle.",
			before: func(dir string) error {
				if err := job.Later(dir); err != nil {
					return err
				}
				berths := filepath.Join("calendars", "berths.ics")
				if err := job.HandEdit(dir, berths, "TH-1033", "LOCATION", "Berth 6"); err != nil {
					return err
				}
				if err := job.HandEdit(dir, berths, "TH-1038", job.Delete, ""); err != nil {
					return err
				}
				if err := job.HandMake(dir, berths, "hand-1", "SUMMARY:Ebba Strand at berth 1", "DTSTART;TZID=Europe/Lisbon:20260308T140000", "DTEND;TZID=Europe/Lisbon:20260308T220000", "COMMENT:Pilot asked for"); err != nil {
					return err
				}
				return job.HandEdit(dir, berths, "TH-1036", "DTSTART", "20260305T153000")
			},
			args: []string{"load", "berth-bookings"}, codes: []int{exitLeft}},
		{why: "Settle it: this time the sheet is right about Corvane, and TH-1057 is Oldwick's call under another number, whose event it keeps.",
			args: []string{"load", "berth-bookings", "--take", "sheet", "TH-1036", "--rekey", "TH-1037=TH-1057"}, codes: []int{exitLeft}},
		{why: "The event that someone made by hand is the sheet's: take it over. Nothing else of it is changed.",
			args: []string{"adopt", "berth-bookings", "TH-1044"}, codes: []int{exitDone}},
		{why: "Take the week out of four calendars, every sailing of the ferries counted.",
			args: append([]string{"extract", "berths", "ferries", "closures", "works"}, week...), codes: []int{exitDone}},
		{why: "Show that the calendar agrees with the sheet, line by line. The differences are what people changed by hand.",
			args: append([]string{"reconcile", "berth-bookings"}, week...), codes: []int{exitLeft}},
		{why: "Every run is in the logbook, with every change it made.",
			args: []string{"logbook"}, codes: []int{exitDone}},
		{why: "Was the second day a mistake? Take that run back. What was touched since is named and left.",
			args: []string{"undo", "9"}, codes: []int{exitLeft}},
	}
}

// quoted writes arguments as a shell takes them.
func quoted(args []string) string {
	out := make([]string, len(args))
	for i, arg := range args {
		out[i] = arg
		if strings.ContainsAny(arg, " ,") {
			out[i] = `"` + arg + `"`
		}
	}
	return strings.Join(out, " ")
}

func (a *app) walk(ctx context.Context, dir string) error {
	p := a.printer()
	p.Say("The desk of the harbour office of Tarn Haven is laid out in " + dir + ". It is Monday 2 March 2026, eight o'clock.")
	for n, s := range demoSteps(dir) {
		p.Gap()
		p.Step(fmt.Sprintf("%d. ", n+1), s.why)
		if s.before != nil {
			if err := s.before(dir); err != nil {
				return err
			}
		}
		shown := append([]string{}, s.args...)
		p.Command("almanach " + quoted(append(shown, "--desk", dir)))
		w := a.world
		w.Args = append([]string{"--desk", dir, "--now", demo.Now}, s.args...)
		code := Run(ctx, w)
		if err := ctx.Err(); err != nil {
			return err
		}
		expected := false
		for _, c := range s.codes {
			expected = expected || c == code
		}
		if !expected {
			return fault.Newf("the demo's step %d ended with code %d", n+1, code).Do("please report this")
		}
	}
	p.Gap()
	p.Say(ansi.Strip("That is the whole job. Go to the desk with cd " + dir + " and repeat any of it, change the sheet in inbox/, look at the intakes in intakes/, open calendars/berths.ics in a calendar program."))
	return nil
}
