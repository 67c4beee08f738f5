package cli

import (
	"bufio"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/job"
)

func (a *app) jot() *cobra.Command {
	var into, length string
	c := &cobra.Command{
		Use:   `jot "TEXT"`,
		Short: "Put one event into a calendar from a phrase",
		Long: `Read a phrase as people write it, show what was understood, and put the event
into a calendar. On a terminal you are asked first; elsewhere say --yes. What can
be read two ways is refused, and never guessed.

  almanach jot "Fender check, berth 4, Thursday 14:30 for 45 min" --into works`,
		Args: takes(1, -1),
		RunE: func(c *cobra.Command, args []string) error {
			office, err := a.office()
			if err != nil {
				return err
			}
			req := job.JotRequest{Text: strings.Join(args, " "), Into: into}
			if into == "" {
				return fault.Newf("nothing says which calendar to put it into").Do("give --into CALENDAR")
			}
			if length != "" {
				var ok bool
				if req.Length, ok = moment.ParseLength(length); !ok {
					return fault.New(length, "is not a length of time").Do("write --length 1h or 90min")
				}
			}
			r, err := job.Jot(c.Context(), office, req)
			if err != nil {
				return err
			}
			write := a.yes && r.Totals.Held == 0
			if !a.json && !(write && !a.terminal()) {
				a.printer().Load(r, show.LoadOptions{All: true})
			}
			if !write && r.Totals.Held == 0 && a.terminal() {
				write = a.ask("put it into the calendar?")
			}
			if write {
				req.Write = true
				if r, err = job.Jot(c.Context(), office, req); err == nil && !a.json {
					a.printer().Load(r, show.LoadOptions{Loaded: true, All: true})
				}
			} else if r.Totals.Held == 0 && !a.json {
				fmt.Fprintln(a.world.Stderr, "nothing was put into the calendar; say --yes to do it")
			}
			if a.json {
				if e := show.JSON(a.world.Stdout, show.LoadJSON("jot", r, err)); err == nil {
					err = e
				}
			}
			if err == nil && r.Left() {
				err = errLeft
			}
			return err
		},
	}
	c.Flags().StringVar(&into, "into", "", "`CALENDAR` to put it into: a name of the desk, or an .ics file")
	c.Flags().StringVar(&length, "length", "", "`LENGTH` where the phrase says no end, such as 1h (default: the desk's length:)")
	return c
}

// terminal tells whether a person can be asked something.
func (a *app) terminal() bool {
	in, ok := a.world.Stdin.(*os.File)
	return ok && term.IsTerminal(int(in.Fd()))
}

// ask asks a person for a yes.
func (a *app) ask(question string) bool {
	if a.yes {
		return true
	}
	answer := a.askText(question+" [y/N]", "")
	return strings.HasPrefix(strings.ToLower(answer), "y")
}

// askText asks a person for a text; an empty answer is the one offered. Where the
// person ends the input, hungUp is set.
func (a *app) askText(question, offered string) string {
	if offered != "" {
		question += " [" + offered + "]"
	}
	fmt.Fprint(a.world.Stderr, question+" ")
	if a.answers == nil {
		a.answers = bufio.NewReader(a.world.Stdin)
	}
	line, err := a.answers.ReadString('\n')
	a.hungUp = err != nil
	if line = strings.TrimSpace(line); line == "" {
		return offered
	}
	return line
}
