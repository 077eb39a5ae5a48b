package main

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"

	"aldermoor/core/scale"
	"aldermoor/internal/blob"
	"aldermoor/internal/library/studio"

	"github.com/spf13/cobra"
)

func collectCommand() *cobra.Command {
	var data string
	var remove bool
	c := &cobra.Command{Use: "collect", Short: "List the stored files that nothing names any more, or remove them", Args: cobra.NoArgs,
		Long: "Lists the stored files that no delivery, draft, release or step names any more, and that are older than two days.\nThe server removes them by itself every few hours; with --remove this command does, while the server is stopped.",
		RunE: work(func(ctx context.Context, _ []string) error {
			if data == "" {
				return errors.New("say where the data is: --data DIR, or the environment variable ALDERMOOR_DATA")
			}
			if remove {
				unlock, err := lockFolder(filepath.Join(data, "aldermoor.lock"))
				if err != nil {
					return fmt.Errorf("stop the server that uses %q first: %w", data, err)
				}
				unlock()
			}
			db, done, err := openRows(ctx, data)
			if err != nil {
				return err
			}
			defer done()
			s := studio.New(studio.Config{Store: db, Blobs: blob.Look(data), Log: logger(false)})
			files, bytes, err := s.Collect(ctx, remove, func(sum string, size int64) { fmt.Printf("%s  %s\n", sum, scale.Bytes(size)) })
			if err != nil {
				return err
			}
			what := "can be removed"
			if remove {
				what = "were removed"
			}
			fmt.Printf("%d files of %s %s.\n", files, scale.Bytes(bytes), what)
			return nil
		})}
	c.Flags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	c.Flags().BoolVar(&remove, "remove", false, "remove them")
	return c
}
