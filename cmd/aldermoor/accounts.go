package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"aldermoor/internal/library"

	"github.com/spf13/cobra"
)

// tools opens the rows of a data folder without its lock, beside a running server.
func tools(ctx context.Context, dir string) (*library.Service, func(), error) {
	if dir == "" {
		return nil, nil, errors.New("say where the data is: --data DIR, or the environment variable ALDERMOOR_DATA")
	}
	if _, err := os.Stat(dir); err != nil {
		return nil, nil, err
	}
	db, err := openStore(ctx, dir)
	if err != nil {
		return nil, nil, err
	}
	return library.New(library.Config{Store: db, Log: logger(false)}), func() { db.Close() }, nil
}

func userCommand() *cobra.Command {
	var data, name, role string
	add := &cobra.Command{Use: "add", Short: "Make an account; the password is read from standard input", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		s, done, err := tools(ctx, data)
		if err != nil {
			return err
		}
		defer done()
		if terminal(os.Stdin) {
			fmt.Fprint(os.Stderr, "Password (it is shown as you type): ")
		}
		line, err := bufio.NewReader(os.Stdin).ReadString('\n')
		if err != nil && line == "" {
			return errors.New("no password came on standard input")
		}
		u, err := s.AddUser(ctx, name, strings.TrimRight(line, "\r\n"), library.Role(role), "command line")
		if err == nil {
			fmt.Printf("%s may now enter as %s.\n", u.Name, u.Role)
		}
		return err
	})}
	add.Flags().StringVar(&name, "user", "", "name of the account")
	add.Flags().StringVar(&role, "role", "artist", "artist, librarian, lead or administrator")
	list := &cobra.Command{Use: "list", Short: "List the accounts", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		s, done, err := tools(ctx, data)
		if err != nil {
			return err
		}
		defer done()
		users, err := s.Users(ctx)
		for _, u := range users {
			closed := ""
			if u.Disabled {
				closed = "  closed"
			}
			fmt.Printf("%-24s %s%s\n", u.Name, u.Role, closed)
		}
		return err
	})}
	c := &cobra.Command{Use: "user", Short: "Accounts"}
	c.PersistentFlags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	c.AddCommand(add, list)
	return c
}

func tokenCommand() *cobra.Command {
	var data, name, label string
	create := &cobra.Command{Use: "create", Short: "Make a bearer token for a program; prints the token alone", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		s, done, err := tools(ctx, data)
		if err != nil {
			return err
		}
		defer done()
		token, err := s.NewToken(ctx, name, label)
		if err == nil {
			fmt.Println(token)
		}
		return err
	})}
	create.Flags().StringVar(&name, "user", "", "account that the token stands for")
	create.Flags().StringVar(&label, "label", "command line", "what it is for")
	create.Flags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	c := &cobra.Command{Use: "token", Short: "Access for programs"}
	c.AddCommand(create)
	return c
}
