package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/netip"

	"aldermoor/internal/web"

	"github.com/spf13/cobra"
)

func serveCommand() *cobra.Command {
	var data, addr string
	var verbose, plain bool
	var roots, proxies []string
	var t tlsFiles
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
		fresh, err := a.studio.People.Fresh(ctx)
		if err != nil {
			return err
		}
		if (t.cert == "") != (t.key == "") {
			return errors.New("give both --tls-cert and --tls-key, or neither")
		}
		var trusted []netip.Prefix
		for _, text := range proxies {
			p, err := netip.ParsePrefix(text)
			if err != nil {
				return fmt.Errorf("--trusted-proxy takes addresses such as 10.0.0.0/8: %w", err)
			}
			trusted = append(trusted, p.Masked())
		}
		ln, err := net.Listen("tcp", addr)
		if err != nil {
			return fmt.Errorf("listen on %s: %w", addr, err)
		}
		cfg := web.Config{Secure: t.cert != "" || !plain && (!loopback(ln.Addr()) || len(trusted) > 0), Proxies: trusted}
		scheme := "http"
		if t.cert != "" {
			scheme = "https"
		}
		fmt.Printf("Aldermoor serves %s at %s://%s\n", data, scheme, ln.Addr())
		if fresh {
			cfg.SetupCode = rand.Text()[:10]
			fmt.Printf("There is no account yet. Open the address and make the first one with the set-up code %s\n", cfg.SetupCode)
		}
		return a.serve(ctx, ln, cfg, t)
	})}
	f := c.Flags()
	f.StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	f.StringVar(&addr, "addr", env("ALDERMOOR_ADDR", "127.0.0.1:8420"), "address to listen on")
	f.StringArrayVar(&roots, "watch-root", nil, "folder in which the librarian may have folders watched; may be given several times")
	f.BoolVar(&plain, "plain-http", false, "let people sign in without TLS from other machines")
	f.StringArrayVar(&proxies, "trusted-proxy", nil, "addresses (CIDR) of proxies whose X-Forwarded-For and X-Forwarded-Proto are believed; may be given several times")
	f.StringVar(&t.cert, "tls-cert", "", "certificate file (PEM): serve HTTPS with HTTP/2")
	f.StringVar(&t.key, "tls-key", "", "key file (PEM) of the certificate")
	f.BoolVar(&verbose, "verbose", false, "log every request")
	f.IntVar(&l.megapixels, "max-megapixels", l.megapixels, "largest picture taken in, in megapixels of 1024²")
	f.IntVar(&l.fileMB, "max-file-mb", l.fileMB, "largest picture file taken in, in MiB")
	f.IntVar(&l.workers, "workers", l.workers, "jobs that run at a time, beside one delivery and one webhook; at most as many as there are cores is best")
	f.IntVar(&l.memoryMB, "memory-mb", l.memoryMB, "most that decoded pictures may take at a time while they are taken in, in MiB; a larger one has it for itself")
	f.IntVar(&l.archiveGB, "max-archive-gb", l.archiveGB, "largest unpacked archive, in GiB")
	f.IntVar(&l.archiveFiles, "max-archive-files", l.archiveFiles, "most files in one archive")
	f.IntVar(&l.derivedGB, "derived-gb", l.derivedGB, "most that pictures and handoffs that can be made again may take, in GiB")
	return c
}
