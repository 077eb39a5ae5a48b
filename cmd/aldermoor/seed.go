package main

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"

	"aldermoor/core/scale"
	"aldermoor/core/station"
	"aldermoor/internal/library"

	"github.com/spf13/cobra"
)

// seedCommand fills a Library for measuring: copies of what is released in it,
// with other names, tags, sizes and categories.
func seedCommand() *cobra.Command {
	var data string
	var n int
	c := &cobra.Command{Use: "seed", Short: "Fill a Library with copies of its materials, for measuring", Hidden: true, Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		a, err := openApp(ctx, data, defaultLimits(), logger(false))
		if err != nil {
			return err
		}
		defer a.close()
		found, err := a.service.Find(ctx, library.Query{Per: 200})
		if err != nil {
			return err
		}
		var from []library.Material
		for _, k := range found.Items {
			m, err := a.service.Material(ctx, k.MaterialID)
			if err != nil {
				return err
			}
			from = append(from, m)
		}
		if len(from) == 0 {
			return errors.New("release at least one material first: there is nothing to copy")
		}
		rng := rand.New(rand.NewPCG(7, 11))
		all := station.Materials()
		words := []string{"worn", "wet", "pale", "dark", "coarse", "fine", "old", "mended", "seaward", "leeward", "upper", "lower", "north", "south", "loft", "cellar"}
		for i := range n {
			m := from[rng.IntN(len(from))]
			about := all[rng.IntN(len(all))]
			m.ID, m.DeliveryID, m.Released, m.ReleasedVersion, m.Stage = 0, 0, 0, 0, library.Accepted
			m.Recipe, m.Finish = nil, library.Finish{}
			m.SetKey = fmt.Sprintf("seed %d", i)
			m.Name = fmt.Sprintf("%s, %s %s %d", about.Name, words[rng.IntN(len(words))], words[rng.IntN(len(words))], i)
			m.Slug = library.Slug(m.Name)
			m.Tags, m.Categories, m.Contact = append(slices.Clone(about.Tags), words[rng.IntN(len(words))]), about.Categories, about.Contact
			k := 0.3 + 3*rng.Float64()
			m.Size = scale.Size{W: m.Size.W * k, H: m.Size.H * k}
			if err := a.store.Write(ctx, func(tx library.Tx) error { return tx.AddMaterial(&m) }); err != nil {
				return err
			}
			if _, err := a.service.Release(ctx, m.ID, library.Wording{Notes: "Copied for measuring.", By: "seed"}); err != nil {
				return err
			}
			if i%500 == 499 {
				fmt.Printf("%d of %d\n", i+1, n)
			}
		}
		return nil
	})}
	c.Flags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the data")
	c.Flags().IntVar(&n, "n", 5000, "how many")
	return c
}
