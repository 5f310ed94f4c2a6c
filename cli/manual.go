package cli

import (
	"context"
	"fmt"

	docs "github.com/urfave/cli-docs/v3"
	"github.com/urfave/cli/v3"

	"tourmaline/core/plan"
	"tourmaline/report"
)

func (s *session) manualCommand() *cli.Command {
	return &cli.Command{
		Name:  "manual",
		Usage: "print a manual page",
		Description: `In the form of man pages: all commands with their options.

Example:  tourmaline manual > tourmaline.1 && man ./tourmaline.1`,
		Action: func(_ context.Context, c *cli.Command) error {
			page, err := docs.ToManWithSection(c.Root(), 1)
			if err == nil {
				_, err = fmt.Fprint(s.out, page)
			}
			return err
		},
	}
}

func (s *session) schemaCommand() *cli.Command {
	return &cli.Command{
		Name:  "schema",
		Usage: "print the JSON Schema of the plan, for text editors",
		Description: `Editors that know YAML and JSON Schema complete the keys with it and show what each says.
Many take a line at the top of the plan:
  # yaml-language-server: $schema=tourmaline.schema.json

Example:  tourmaline schema > tourmaline.schema.json`,
		Action: func(context.Context, *cli.Command) error { return report.JSON(s.out, plan.Schema()) },
	}
}
