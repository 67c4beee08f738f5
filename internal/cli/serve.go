package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"almanach/internal/core/fault"
	"almanach/internal/core/zone"
	"almanach/internal/edge/standin"
)

func (a *app) serve() *cobra.Command {
	var address, user, env string
	var names []string
	c := &cobra.Command{
		Use:   "serve [FOLDER]",
		Short: "Serve calendars: a small CalDAV server, and a read-only feed of each",
		Long: `Serve the calendars of a folder: a small CalDAV server for one user, to try a desk
on or to stand in for a real one, and a read-only feed of each calendar:

  almanach serve calendars --calendar berths
  http://127.0.0.1:5232/calendars/berths/     for programs that load and change
  http://127.0.0.1:5232/feeds/berths.ics      for those who only subscribe

FOLDER has a folder for each calendar and a file for each event; without one
everything is kept in memory and gone when it ends. It only listens on this
machine unless --listen says otherwise, which wants a password.`,
		Args: takes(0, 1),
		RunE: func(c *cobra.Command, args []string) error {
			return a.runServe(c.Context(), args, address, user, env, names)
		},
	}
	c.Flags().StringVar(&address, "listen", "127.0.0.1:5232", "`ADDRESS` to listen on; port 0 takes any that is free")
	c.Flags().StringVar(&user, "user", "clerk", "`NAME` of the one user")
	c.Flags().StringVar(&env, "password-env", "", "`VARIABLE` of the environment that holds the password (default: none is asked for)")
	c.Flags().StringArrayVar(&names, "calendar", nil, "make the calendar of this `NAME`, where it is not there")
	return c
}

func (a *app) runServe(ctx context.Context, args []string, address, user, env string, names []string) error {
	book, err := zone.NewBook(nil)
	if err != nil {
		return err
	}
	dir := ""
	if len(args) > 0 {
		dir = args[0]
	}
	s, err := standin.New(book, dir)
	if err != nil {
		return fault.Newf("cannot be read: %w", fault.Bare(err)).At(fault.Place{File: dir}).FromOutside()
	}
	if env != "" {
		s.User, s.Password = user, os.Getenv(env)
		if s.Password == "" {
			return fault.Newf("the variable %s of the environment, which is to hold the password, is empty", env)
		}
	}
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return fault.New(address, "is not an address to listen on").Do("write --listen 127.0.0.1:5232")
	}
	if ip := net.ParseIP(host); s.Password == "" && host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return fault.Newf("without a password only this machine may be served").Do("give --user and --password-env, or listen on 127.0.0.1")
	}
	for _, name := range names {
		if strings.ContainsAny(name, `/\`) || strings.HasPrefix(name, ".") || name == "" {
			return fault.New(name, "cannot be the name of a calendar")
		}
		if err := s.Make(name); err != nil {
			return fault.Newf("cannot be made: %w", fault.Bare(err)).At(fault.Place{File: filepath.Join(dir, name)}).FromOutside()
		}
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		return fault.Newf("cannot listen on %s: %w", address, fault.Bare(err)).FromOutside()
	}
	fmt.Fprintf(a.out, "serving at http://%s/calendars/\n", l.Addr())
	server := &http.Server{Handler: s, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: time.Minute}
	go func() {
		<-ctx.Done()
		ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
		defer cancel()
		_ = server.Shutdown(ctx)
	}()
	if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return fault.Newf("stopped: %w", err).FromOutside()
	}
	return nil
}
