package main

import (
	"fmt"

	"aldermoor/internal/licences"

	"github.com/spf13/cobra"
)

func licencesCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "licences",
		Short: "Print the licences of everything in this program",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := licences.All()
			for _, l := range all {
				fmt.Fprintf(c.OutOrStdout(), "%s %s\n\n%s\n\n\n", l.Name, l.Version, l.Text)
			}
			return err
		},
	}
}
