package main

import (
	"context"
	"crypto/rand"
	"fmt"
	"net"

	"aldermoor/internal/web"

	"github.com/spf13/cobra"
)

func serveCommand() *cobra.Command {
	var data, addr string
	var verbose, plain bool
	var roots []string
	l := defaultLimits()
	c := &cobra.Command{Use: "serve", Short: "Run the studio's server", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		a, err := openApp(ctx, data, l, logger(verbose))
		if err != nil {
			return err
		}
		defer a.close()
		if err := a.openFolders(roots); err != nil {
			return err
		}
		users, err := a.service.Users(ctx)
		if err != nil {
			return err
		}
		ln, err := net.Listen("tcp", addr)
		if err != nil {
			return fmt.Errorf("listen on %s: %w", addr, err)
		}
		cfg := web.Config{Secure: !plain && !loopback(ln.Addr())}
		fmt.Printf("Aldermoor serves %s at http://%s\n", data, ln.Addr())
		if len(users) == 0 {
			cfg.SetupCode = rand.Text()[:10]
			fmt.Printf("There is no account yet. Open the address and make the first one with the set-up code %s\n", cfg.SetupCode)
		}
		return a.serve(ctx, ln, cfg)
	})}
	f := c.Flags()
	f.StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	f.StringVar(&addr, "addr", env("ALDERMOOR_ADDR", "127.0.0.1:8420"), "address to listen on")
	f.StringArrayVar(&roots, "watch-root", nil, "folder in which the librarian may have folders watched; may be given several times")
	f.BoolVar(&plain, "plain-http", false, "let people sign in without TLS from other machines")
	f.BoolVar(&verbose, "verbose", false, "log every request")
	f.IntVar(&l.megapixels, "max-megapixels", l.megapixels, "largest picture taken in, in megapixels of 1024²")
	f.IntVar(&l.fileMB, "max-file-mb", l.fileMB, "largest picture file taken in, in MiB")
	f.IntVar(&l.archiveGB, "max-archive-gb", l.archiveGB, "largest unpacked archive, in GiB")
	f.IntVar(&l.archiveFiles, "max-archive-files", l.archiveFiles, "most files in one archive")
	return c
}
