// Aldermoor is a studio's material library: it takes in scanned texture sets,
// measures and mends them, and publishes them to artists.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // zones of readers, wherever it runs

	"github.com/spf13/cobra"
)

// Exit codes: 0 done, 1 findings or partial, 2 wrong use, 3 failed.
const (
	exitPartial = 1
	exitUse     = 2
	exitFailed  = 3
)

// partial says that a command did its work but did not find everything right.
type partial struct{ says string }

func (p partial) Error() string { return p.says }

// failed marks an error of the work, as opposed to one of how it was asked for.
type failed struct{ error }

func (f failed) Unwrap() error { return f.error }

// work runs a command's body: what goes wrong in it is not wrong use.
func work(f func(ctx context.Context, args []string) error) func(*cobra.Command, []string) error {
	return func(c *cobra.Command, args []string) error {
		c.SilenceUsage = true
		err := f(c.Context(), args)
		if p := (partial{}); err == nil || errors.As(err, &p) {
			return err
		}
		return failed{err}
	}
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := &cobra.Command{
		Use: "aldermoor", Short: "A studio's material library",
		Long:          "Aldermoor takes in scanned texture sets, works out which file is which channel and how large the patch is,\nmeasures and mends them, and publishes them to a library that artists take from.",
		SilenceErrors: true,
	}
	root.CompletionOptions.HiddenDefaultCmd = true
	root.AddCommand(serveCommand(), demoCommand(), inspectCommand(), renderCommand(), convertCommand(), stationCommand(), userCommand(), tokenCommand(), verifyCommand(), migrateCommand(), collectCommand(), licencesCommand(), seedCommand(), visitCommand())
	err := root.ExecuteContext(ctx)
	var p partial
	var f failed
	switch {
	case err == nil:
		return
	case errors.As(err, &p):
		if p.says != "" {
			fmt.Fprintln(os.Stderr, "aldermoor:", p.says)
		}
		os.Exit(exitPartial)
	case errors.As(err, &f):
		fmt.Fprintln(os.Stderr, "aldermoor:", err)
		os.Exit(exitFailed)
	}
	fmt.Fprintln(os.Stderr, "aldermoor:", err)
	os.Exit(exitUse)
}
