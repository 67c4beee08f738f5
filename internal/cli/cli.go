// Package cli is the command line: one file a command, each turning flags
// into a job and showing what it found.
package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/charmbracelet/colorprofile"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/core/zone"
	"almanach/internal/edge/desk"
	"almanach/internal/job"
)

// World is what the program is given from outside.
type World struct {
	Args           []string
	Stdin          io.Reader
	Stdout, Stderr io.Writer
	Env            []string
	Now            func() time.Time
	Pid            int    // of the process, which tells runs apart
	Version        string // of this build
}

// The exit codes.
const (
	exitDone    = 0 // nothing is left for a person
	exitLeft    = 1 // done, and something is left for a person
	exitRefused = 2 // not done: the request or the input is wrong
	exitStopped = 3 // not or partly done: a file, server or quota stopped it
)

// errLeft ends a command that did its work and left something for a person.
var errLeft = errors.New("something is left for a person")

// app is one run of the program.
type app struct {
	world World
	out   io.Writer // what a person reads; data for programs goes to world.Stdout
	width int

	desk, zone, now string
	json, yes       bool
	progress        *progress
	answers         *bufio.Reader // what a person types
	hungUp          bool          // the person ended what is typed
}

// screen gives what a person reads something on.
func (w World) screen(to io.Writer) *show.Screen {
	profile := colorprofile.Detect(to, w.Env)
	return show.NewScreen(to, profile != colorprofile.NoTTY && profile != colorprofile.Ascii)
}

// Run runs the program and gives its exit code.
func Run(ctx context.Context, w World) (code int) {
	a := &app{world: w, out: w.screen(w.Stdout), width: width(w.Stdout)}
	a.progress = &progress{w: w.Stderr, terminal: width(w.Stderr) > 0, width: width(w.Stderr), now: w.Now}
	defer a.progress.end()
	defer func() {
		if r := recover(); r != nil {
			fmt.Fprintf(w.screen(w.Stderr), "almanach: a mistake of the program's own stopped it: %v\n  nothing was half written; please report this with what you did\n", r)
			if a.env("ALMANACH_TRACE") != "" {
				stack := debug.Stack()
				if s, ok := r.(interface{ Stack() []byte }); ok { // where it began
					stack = s.Stack()
				}
				w.Stderr.Write(stack)
			}
			code = exitStopped
		}
	}()
	root := a.root()
	root.SetArgs(w.Args)
	root.SetOut(a.out)
	root.SetErr(w.Stderr)
	err := root.ExecuteContext(ctx)
	return a.exit(err)
}

// exit shows what stopped a command and gives the exit code for it.
func (a *app) exit(err error) int {
	a.progress.end()
	switch {
	case err == nil:
		return exitDone
	case errors.Is(err, errLeft):
		return exitLeft
	case errors.Is(err, context.Canceled):
		fmt.Fprintln(a.world.Stderr, "almanach: interrupted; nothing was half written, and what is not said to be written was not")
		return exitStopped
	}
	p := a.problems()
	var several job.Faults
	if !errors.As(err, &several) {
		several = job.Faults{fault.Of(err)}
	}
	code := exitRefused
	for _, f := range several {
		p.Fault(f)
		if f.Outside {
			code = exitStopped
		}
	}
	return code
}

// width is the terminal's, or 0 for what is no terminal.
func width(w io.Writer) int {
	f, ok := w.(*os.File)
	if !ok {
		return 0
	}
	n, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		return 0
	}
	return n
}

// problems prints on stderr.
func (a *app) problems() *show.Printer {
	return &show.Printer{W: a.world.screen(a.world.Stderr), Width: width(a.world.Stderr)}
}

func (a *app) printer() *show.Printer { return &show.Printer{W: a.out, Width: a.width} }

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "almanach",
		Short: "Put events from sheets and files into calendars, and prove that both agree",
		Long: `Almanach takes events as others send them, puts them into calendars without
ever doubling one, takes date ranges back out, and proves that both sides agree.

Begin with: almanach demo, or: almanach setup`,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          unknownCommand,
		Version:       a.world.Version,
		RunE:          func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	flags := root.PersistentFlags()
	flags.StringVar(&a.desk, "desk", "", "`DIR` of the desk (default: here, then upwards)")
	flags.StringVar(&a.zone, "zone", "", "time `ZONE` of times that name none (default: the desk's)")
	flags.StringVar(&a.now, "now", "", "take this `TIME` as the present, for repeatable runs")
	flags.BoolVar(&a.json, "json", false, "print JSON")
	flags.BoolVar(&a.yes, "yes", false, "answer yes to every question")
	root.SetVersionTemplate("almanach {{.Version}}\n")
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		var known *fault.Fault
		if errors.As(err, &known) {
			return known
		}
		return flagFault(c, err)
	})
	for _, command := range []*cobra.Command{a.demo(), a.setup(), a.survey(), a.draft(), a.preview(), a.load(), a.jot(), a.adopt(), a.extract(), a.reconcile(), a.twins(), a.logbook(), a.undo(), a.calendars(), a.serve(), a.version()} {
		root.AddCommand(command)
	}
	order(root)
	a.completions(root)
	return root
}

// office gathers what jobs need to know, once a command runs.
func (a *app) office() (*job.Office, error) {
	d, faults := desk.Find(a.desk)
	if len(faults) > 0 {
		return nil, job.Faults(faults)
	}
	zones, err := a.zones()
	if err != nil {
		return nil, err
	}
	now := a.world.Now()
	if a.now == "" {
		a.now = d.Present
	}
	if a.now != "" {
		if now, err = parseNow(a.now); err != nil {
			return nil, err
		}
	}
	o := &job.Office{Desk: d, Zones: zones, Now: now, Zone: a.zone, Local: a.localZone(), Run: strconv.Itoa(a.world.Pid), Who: a.who(), Progress: a.progress.tell}
	if z, _, f := o.DefaultZone(); f == nil {
		o.Now = now.In(time.FixedZone(z.Name(), z.OffsetAt(now.Unix()).Seconds))
		if a.now != "" && !hasOffset(a.now) { // a wall-clock time of the default zone
			at, _ := z.Instant(zone.Wall(now.Year(), int(now.Month()), now.Day(), now.Hour(), now.Minute(), now.Second()))
			o.Now = time.Unix(at, 0).In(time.FixedZone(z.Name(), z.OffsetAt(at).Seconds))
		}
		return o, nil
	} else {
		return nil, f
	}
}

// zones reads the zone data: the embedded release, unless ZONEINFO names
// another file in Go's form.
func (a *app) zones() (*zone.Book, error) {
	path := a.env("ZONEINFO")
	if path == "" {
		return zone.NewBook(nil)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, fault.Newf("the zone data that ZONEINFO names cannot be read: %w", err).FromOutside()
	}
	return zone.NewBook(data)
}

func (a *app) env(name string) string {
	for _, e := range a.world.Env {
		if v, ok := strings.CutPrefix(e, name+"="); ok {
			return v
		}
	}
	return ""
}

// localZone gives the name of the machine's zone, "" when it has none we know.
func (a *app) localZone() string {
	if tz := strings.TrimPrefix(a.env("TZ"), ":"); tz != "" {
		return tz
	}
	if link, err := os.Readlink("/etc/localtime"); err == nil {
		if _, name, ok := strings.Cut(link, "zoneinfo/"); ok {
			return name
		}
	}
	return ""
}

var nowLayouts = []string{time.RFC3339, "2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04:05", "2006-01-02 15:04", time.DateOnly}

func parseNow(text string) (time.Time, error) {
	for _, layout := range nowLayouts {
		if t, err := time.Parse(layout, text); err == nil {
			return t, nil
		}
	}
	return time.Time{}, fault.New(text, "is not a time for --now").Do("write 2026-03-05T09:00")
}

func hasOffset(text string) bool {
	_, err := time.Parse(time.RFC3339, text)
	return err == nil
}

func (a *app) version() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Say which release this is, and of which zone data", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			zones, err := a.zones()
			if err != nil {
				return err
			}
			v := struct {
				Version  string `json:"version"`
				ZoneData string `json:"zone_data"`
			}{a.world.Version, zones.Release()}
			if a.json {
				return show.JSON(a.world.Stdout, v)
			}
			fmt.Fprintf(a.out, "almanach %s\nzone data %s\n", v.Version, v.ZoneData)
			return nil
		},
	}
}

// who is the person whose runs these are.
func (a *app) who() string {
	name := a.env("USER")
	if name == "" {
		name = a.env("USERNAME")
	}
	if host, err := os.Hostname(); err == nil && host != "" {
		name += "@" + host
	}
	return name
}
