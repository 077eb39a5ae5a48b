package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"

	"github.com/spf13/cobra"
)

// byCommand is who acts on the command line.
var byCommand = people.Command("command line")

// tools opens the rows of a data folder. Beside a running server they are used as they
// are; without one they are migrated if they are older than this program.
func tools(ctx context.Context, dir string) (*studio.Studio, func(), error) {
	db, done, err := openRows(ctx, dir)
	if err != nil {
		return nil, nil, err
	}
	return studio.New(studio.Config{Store: db, Log: logger(false)}), done, nil
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
		u, err := s.People.AddUser(ctx, byCommand, name, strings.TrimRight(line, "\r\n"), people.Role(role))
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
		users, err := s.People.Users(ctx, byCommand)
		for _, u := range users {
			closed := ""
			if u.Disabled {
				closed = "  closed"
			}
			fmt.Printf("%-24s %s%s\n", u.Name, u.Role, closed)
		}
		return err
	})}
	reset := &cobra.Command{Use: "reset", Short: "Make an account's password useless; prints a one-time code for a new one", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		s, done, err := tools(ctx, data)
		if err != nil {
			return err
		}
		defer done()
		u, err := s.People.UserNamed(ctx, byCommand, name)
		if errors.Is(err, library.ErrNotFound) {
			return fmt.Errorf("there is no account called %q", name)
		}
		if err != nil {
			return err
		}
		code, err := s.People.ResetPassword(ctx, byCommand, library.Seen{ID: u.ID, Version: u.Version})
		if err == nil {
			fmt.Println(code)
			fmt.Fprintf(os.Stderr, "%s sets a new password with this code at /new-password within a day.\n", u.Name)
		}
		return err
	})}
	reset.Flags().StringVar(&name, "user", "", "name of the account")
	c := &cobra.Command{Use: "user", Short: "Accounts"}
	c.PersistentFlags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	c.AddCommand(add, list, reset)
	return c
}

func tokenCommand() *cobra.Command {
	var data, name, label, scope string
	var days int
	create := &cobra.Command{Use: "create", Short: "Make a bearer token for a program; prints the token alone", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		s, done, err := tools(ctx, data)
		if err != nil {
			return err
		}
		defer done()
		token, _, err := s.People.NewToken(ctx, byCommand, name, label, people.Scope(scope), days)
		if err == nil {
			fmt.Println(token)
		}
		return err
	})}
	create.Flags().StringVar(&name, "user", "", "account that the token stands for")
	create.Flags().StringVar(&scope, "scope", string(people.ScopeRead), "read, contribute or administer: how much of the account's role it may use")
	create.Flags().IntVar(&days, "days", 0, "how long it holds; 0 for a year")
	create.Flags().StringVar(&label, "label", "command line", "what it is for")
	create.Flags().StringVar(&data, "data", env("ALDERMOOR_DATA", ""), "folder of the studio's data")
	c := &cobra.Command{Use: "token", Short: "Access for programs"}
	c.AddCommand(create)
	return c
}
