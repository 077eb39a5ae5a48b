package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"aldermoor/internal/blob"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/store"

	"github.com/spf13/cobra"
)

// openRows opens the database of a data folder that exists. If no server has it, it is kept from others until done is
// called. It is not migrated: serve and migrate alone do that.
func openRows(ctx context.Context, dir string) (db *store.Store, done func(), err error) {
	if dir == "" {
		return nil, nil, errors.New("say where the data is: --data DIR, or the environment variable ALDERMOOR_DATA")
	}
	if _, err := os.Stat(filepath.Join(dir, "aldermoor.db")); err != nil {
		return nil, nil, fmt.Errorf("there is no Aldermoor data in %q", dir)
	}
	unlock, lockErr := lockFolder(filepath.Join(dir, "aldermoor.lock"))
	if lockErr != nil {
		unlock = func() {}
	}
	if db, err = store.OpenBeside(ctx, dir); err != nil {
		unlock()
		return nil, nil, err
	}
	return db, func() { db.Close(); unlock() }, nil
}

func migrateCommand() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "migrate", Short: "Bring the data of an older version to this one; a copy of the database is kept beside it", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		if data == "" {
			return errors.New("say where the data is: --data DIR, or the environment variable ALDERMOOR_DATA")
		}
		if _, err := os.Stat(filepath.Join(data, "aldermoor.db")); err != nil {
			return fmt.Errorf("there is no Aldermoor data in %q", data)
		}
		unlock, err := lockFolder(filepath.Join(data, "aldermoor.lock"))
		if err != nil {
			return fmt.Errorf("stop the server that uses %q first: %w", data, err)
		}
		defer unlock()
		if db, err := store.OpenBeside(ctx, data); err == nil {
			fmt.Println("The data is of this version already.")
			return db.Close()
		} else if !errors.Is(err, store.ErrOlder) {
			return err
		}
		db, err := store.Open(ctx, data)
		if err != nil {
			return err
		}
		fmt.Println("The data is of this version now. A copy of the database before is kept beside it, as aldermoor-before-….db.")
		return db.Close()
	})}
	c.Flags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	return c
}

func verifyCommand() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "verify", Short: "Check the database and the contents of every stored file", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		if data == "" {
			return errors.New("say where the data is: --data DIR, or the environment variable ALDERMOOR_DATA")
		}
		unlock, err := lockFolder(filepath.Join(data, "aldermoor.lock"))
		if err != nil {
			return fmt.Errorf("stop the server that uses %q first: %w", data, err)
		}
		unlock()
		db, done, err := openRows(ctx, data)
		if err != nil {
			return err
		}
		defer done()
		wrong := 0
		report := func(format string, args ...any) {
			wrong++
			fmt.Printf(format+"\n", args...)
		}
		if err := db.Check(ctx); err != nil {
			report("database: %v", err)
		}
		blobs := blob.Look(data)
		n, err := blobs.Verify(ctx, func(sum, says string) { report("blob %s: %s", sum, says) })
		if err != nil {
			return err
		}
		err = db.Read(ctx, func(tx studio.Reader) error {
			return tx.KnownBlobs(func(sum string) {
				if !blobs.Has(sum) {
					report("blob %s: a row names it, but it is missing", sum)
				}
			})
		})
		if err != nil {
			return err
		}
		if wrong > 0 {
			return partial{fmt.Sprintf("%d things are wrong", wrong)}
		}
		fmt.Printf("%d files and the database are as they should be.\n", n)
		return nil
	})}
	c.Flags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	return c
}
