package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"

	"github.com/spf13/cobra"

	"almanach/internal/core/fault"
	"almanach/internal/edge/replace"
)

// outFile is where a command writes what it found, instead of the screen.
type outFile struct {
	path  string
	force bool
}

func (o *outFile) add(c *cobra.Command) {
	c.Flags().StringVarP(&o.path, "out", "o", "", "write to this `FILE`; one that exists is only replaced when you say so")
	c.Flags().BoolVar(&o.force, "force", false, "replace the file of --out")
}

// write writes data for programs: to the file, whole or not at all, or to
// stdout. what says how much it is.
func (a *app) write(o *outFile, data []byte, what string) error {
	if o.path == "" {
		_, err := a.world.Stdout.Write(data)
		return err
	}
	at := fault.Place{File: o.path}
	stopped := func(err error) error {
		return fault.Newf("cannot be written: %w", fault.Bare(err)).At(at).Do("check the folder and its permissions").FromOutside()
	}
	_, err := os.Stat(o.path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
	case err != nil:
		return stopped(err)
	case !o.force && !a.agrees(o.path+" exists already. Replace it?"):
		return fault.Newf("exists already and was not touched").At(at).Do("give another name, or --force to replace it")
	}
	path, err := replace.Real(o.path)
	if err == nil {
		err = replace.File(path, replace.Options{}, func(w io.Writer) error {
			_, err := w.Write(data)
			return err
		})
	}
	if err != nil {
		return stopped(err)
	}
	fmt.Fprintf(a.world.screen(a.world.Stderr), "%s written to %s\n", what, o.path)
	return nil
}

// agrees asks a question on a terminal. Elsewhere the answer is no, and with
// --yes it is yes.
func (a *app) agrees(question string) bool {
	if a.yes {
		return true
	}
	return a.terminal() && a.ask(question)
}
