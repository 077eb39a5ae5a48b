package main

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"aldermoor/core/colour"
	"aldermoor/core/inspect"
	"aldermoor/core/likeness"
	"aldermoor/core/scale"
	"aldermoor/core/station"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
	"aldermoor/internal/library/studio"

	"github.com/spf13/cobra"
)

// seedCommand fills a Library for measuring: copies of what is released in it,
// with other names, tags, sizes and categories.
func seedCommand() *cobra.Command {
	var data string
	var n, tags int
	var bare bool
	c := &cobra.Command{Use: "seed", Short: "Fill a Library with copies of its materials, for measuring", Hidden: true, Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		a, err := openApp(ctx, data, defaultLimits(), logger(false))
		if err != nil {
			return err
		}
		defer a.close()
		by := people.Command("seed")
		found, err := a.studio.Search.Find(ctx, by, search.Query{Per: 200})
		if err != nil {
			return err
		}
		var from []materials.Material
		for _, k := range found.Items {
			m, err := a.studio.Materials.Material(ctx, by, k.MaterialID)
			if err != nil {
				return err
			}
			from = append(from, m)
		}
		if len(from) == 0 {
			return errors.New("release at least one material first: there is nothing to copy")
		}
		s := seeder{rng: rand.New(rand.NewPCG(7, 11)), from: from, about: station.Materials(), tags: tags, bare: bare}
		const each = 1000 // a transaction
		for done := 0; done < n; done += each {
			err := a.store.Write(ctx, func(tx studio.Tx) error {
				for i := done; i < min(n, done+each); i++ {
					if err := s.publish(tx, i); err != nil {
						return err
					}
				}
				return nil
			})
			if err != nil {
				return err
			}
			fmt.Printf("%d of %d\n", min(n, done+each), n)
		}
		return nil
	})}
	c.Flags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the data")
	c.Flags().IntVar(&n, "n", 5000, "how many")
	c.Flags().BoolVar(&bare, "bare", false, "cards to be found whose materials have no maps: much quicker")
	c.Flags().IntVar(&tags, "tags", 0, "how many further tags there are; each material gets two of them")
	return c
}

// seeder makes materials up.
type seeder struct {
	rng   *rand.Rand
	from  []materials.Material
	about []station.Material
	tags  int
	bare  bool
}

var seedWords = []string{"worn", "wet", "pale", "dark", "coarse", "fine", "old", "mended", "seaward", "leeward", "upper", "lower", "north", "south", "loft", "cellar"}

func (s *seeder) word() string { return seedWords[s.rng.IntN(len(seedWords))] }

// publish adds and releases the i-th material.
func (s *seeder) publish(tx studio.Tx, i int) error {
	m := s.from[s.rng.IntN(len(s.from))]
	about := s.about[s.rng.IntN(len(s.about))]
	m.ID, m.DeliveryID, m.Released, m.ReleasedVersion, m.Stage = 0, 0, 1, 1, materials.Accepted
	m.Recipe, m.Finish, m.Known = nil, materials.Finish{}, nil
	m.SetKey = fmt.Sprintf("seed %d", i)
	m.Name = fmt.Sprintf("%s, %s %s %d", about.Name, s.word(), s.word(), i)
	m.Slug = materials.Slug(m.Name)
	m.Tags, m.Categories, m.Contact = append(slices.Clone(about.Tags), s.word()), about.Categories, about.Contact
	if s.tags > 0 {
		m.Tags = append(m.Tags, fmt.Sprintf("shade %d", s.rng.IntN(s.tags)), fmt.Sprintf("shade %d", s.rng.IntN(s.tags)))
	}
	k := 0.3 + 3*s.rng.Float64()
	m.Size = scale.Size{W: m.Size.W * k, H: m.Size.H * k}
	m.Maps = slices.Clone(m.Maps)
	shown := m // on the card
	if s.bare {
		m.Maps, m.Report = nil, inspect.Set{}
	}
	if err := tx.AddMaterial(&m); err != nil {
		return err
	}
	shown.ID = m.ID
	traits, err := s.traits().MarshalBinary()
	if err != nil {
		return err
	}
	if err := tx.PutTraits(shown.LookKey(), traits); err != nil {
		return err
	}
	r := releases.Release{MaterialID: m.ID, Number: 1, Notes: "Copied for measuring.", By: "seed", Created: time.Now(), Material: m}
	if err := tx.AddRelease(&r); err != nil {
		return err
	}
	r.Material = shown
	return tx.Publish(releases.CardOf(r))
}

// traits are made up: working them out from pictures of a hundred thousand copies would take hours.
func (s *seeder) traits() (t search.Traits) {
	left := float32(1)
	for k := range 3 {
		share := left
		if k < 2 {
			share *= 0.4 + 0.5*s.rng.Float32()
		}
		left -= share
		c := colour.FromOKLab(0.2+0.7*s.rng.Float64(), 0.08*s.rng.NormFloat64(), 0.08*s.rng.NormFloat64())
		for i := range c {
			c[i] = min(max(c[i], 0), 1)
		}
		t.Palette = append(t.Palette, likeness.Tone{Color: c, Share: share})
	}
	for c := range t.Look.Mean {
		t.Look.Mean[c], t.Look.Range[c] = s.rng.Float32(), 0.2*s.rng.Float32()
	}
	for k := range likeness.Octaves {
		t.Look.Grain[k], t.Look.Lines[k] = -2-6*s.rng.Float32(), s.rng.Float32()
	}
	t.Roughness, t.Metallic, t.Relief = s.rng.Float32(), float32(s.rng.IntN(2)), 0.05*s.rng.Float32()
	return t
}
