// Package cli is Sieb's command line.
//
// It turns arguments into calls of the core (for local files) or of the client
// (for a running service) and shows what comes back, as text for people or as
// one JSON document for programs. It computes nothing itself.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// Version of the program. It stands in manifests.
const Version = "0.1.0"

// The exit codes.
const (
	exitDone    = 0 // accepted, or done
	exitFailed  = 1
	exitUsage   = 2
	exitSplit   = 3
	exitRefused = 4
)

// exit is an error that only carries an exit code.
type exit int

func (e exit) Error() string { return fmt.Sprintf("exit code %d", int(e)) }

// usageError is a command that was called wrongly.
type usageError struct{ error }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

// app is what all commands share.
type app struct {
	in       io.Reader
	out, err io.Writer // through which nothing steers a terminal
	format   string

	screen, bar io.Writer // what stands behind them: for its width, and for a progress bar
}

// Main runs the command line and returns the exit code.
func Main(args []string, in io.Reader, out, err io.Writer) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	a := &app{in: in, screen: out, bar: err}
	isJSON := func() bool { return a.format == "json" }
	a.out, a.err = &shown{w: out, isJSON: isJSON}, &shown{w: err, isJSON: func() bool { return false }}
	out, err = a.out, a.err
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(err)
	failed := root.ExecuteContext(ctx)
	code, usage := exit(exitDone), usageError{}
	switch {
	case failed == nil:
		return exitDone
	case errors.As(failed, &code):
		return int(code)
	case errors.As(failed, &usage) || strings.HasPrefix(failed.Error(), "unknown command"):
		fmt.Fprintf(err, "sieb: %v\nsee %s --help\n", failed, commandOf(root, args))
		return exitUsage
	case errors.Is(failed, context.Canceled):
		fmt.Fprintln(err, "sieb: stopped; nothing was written")
		return exitFailed
	}
	fmt.Fprintf(err, "sieb: %v\n", failed)
	return exitFailed
}

func commandOf(root *cobra.Command, args []string) string {
	if c, _, err := root.Find(args); err == nil {
		return c.CommandPath()
	}
	return root.CommandPath()
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "sieb",
		Short: "Checks, cleans and splits incoming files before they are loaded",
		Long: `Sieb reads a delimited, fixed-width or spreadsheet file as it arrives, checks
every row against the rules of its target, cleans what can be cleaned, and
splits the rows into accepted and rejected, with reasons in plain words.

Commands on files need no service; deliveries, targets and runs talk to one
that was started by "sieb serve" or "sieb demo".`,
		Example: `  sieb read weighbridge-ahrensee-2026-07.csv
  sieb sift weighbridge-ahrensee-2026-07.csv --target weighbridge_tickets.yaml --mapping ahrensee.yaml --out sifted
  sieb demo`,
		Version:       Version,
		SilenceErrors: true,
		SilenceUsage:  true,
		PersistentPreRunE: func(*cobra.Command, []string) error {
			if a.format != "text" && a.format != "json" {
				return usagef("--format %q is neither text nor json", a.format)
			}
			return nil
		},
	}
	root.PersistentFlags().StringVar(&a.format, "format", "text", "text for people or json for programs")
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error {
		var invalid *pflag.InvalidValueError
		if errors.As(err, &invalid) && invalid.GetFlag().Name == "database" {
			// The message repeats the value, which may hold a password.
			return usagef("--database is not of the form NAME=postgres://…")
		}
		return usageError{err}
	})
	root.CompletionOptions.HiddenDefaultCmd = true
	root.AddGroup(&cobra.Group{ID: "files", Title: "On files:"}, &cobra.Group{ID: "service", Title: "The service:"},
		&cobra.Group{ID: "remote", Title: "On a running service:"})
	root.SetHelpCommandGroupID("")
	add := func(group string, commands ...*cobra.Command) {
		for _, c := range commands {
			c.GroupID = group
			root.AddCommand(c)
		}
	}
	add("files", a.read(), a.profile(), a.draft(), a.sift(), a.rows(), a.suggest(), a.remedies())
	add("service", a.serve(), a.demo())
	add("remote", a.deliveries(), a.targets(), a.mappings(), a.codeLists(), a.runs())
	return root
}

// oneFile demands a single argument.
func oneFile(_ *cobra.Command, args []string) error {
	switch len(args) {
	case 0:
		return usagef("which file? name one")
	case 1:
		return nil
	}
	return usagef("one file at a time: %s and %d more were named", args[0], len(args)-1)
}

func (a *app) json(v any) error {
	e := json.NewEncoder(a.out)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(v)
}
