package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"aldermoor/core/station"

	"github.com/spf13/cobra"
)

func stationCommand() *cobra.Command {
	var out, faults string
	var o station.Order
	c := &cobra.Command{Use: "station", Short: "The simulated scanner: writes texture sets whose true figures are known", Args: cobra.NoArgs,
		RunE: work(func(ctx context.Context, _ []string) (err error) {
			if out == "" {
				return errors.New("say where the sets go: --out DIR")
			}
			if o.Sets < 1 || o.Px < 16 || o.Px > 16384 {
				return errors.New("--sets must be at least 1, and --size between 16 and 16384")
			}
			if o.Faults, err = station.ParseFaults(faults); err != nil {
				return err
			}
			return station.Deliver(station.NewWriter(), o, func(d station.Delivered) error {
				if err := ctx.Err(); err != nil {
					return err
				}
				for _, f := range d.Files {
					to := filepath.Join(out, filepath.FromSlash(f.Name))
					if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
						return err
					}
					if err := os.WriteFile(to, f.Data, 0o644); err != nil {
						return err
					}
				}
				says := ""
				if d.Scan.Fault != station.NoFault {
					says = ", fault: " + string(d.Scan.Fault)
				}
				fmt.Printf("%s: %s, %.2f × %.2f m, %.1f mm deep, %d files%s\n", d.Set, d.Scan.Station, d.Scan.Size.W, d.Scan.Size.H, 1000*d.Scan.Depth, len(d.Files), says)
				return nil
			})
		})}
	f := c.Flags()
	f.StringVar(&out, "out", "", "folder to write to")
	f.IntVar(&o.Sets, "sets", len(station.Materials()), "how many sets")
	f.IntVar(&o.Px, "size", 1024, "pixels on the longer side")
	f.Uint32Var(&o.Seed, "seed", 1, "the same seed gives the same files")
	f.StringVar(&faults, "faults", "", "faults to plant: all, or a list such as seam,baked-light")
	return c
}
