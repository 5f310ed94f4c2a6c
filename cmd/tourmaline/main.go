// Command tourmaline fits page backgrounds to their boxes at every viewport.
package main

import (
	"context"
	"os"

	"tourmaline/cli"
)

func main() {
	os.Exit(cli.Run(context.Background(), os.Args, os.Stdin, os.Stdout, os.Stderr))
}
