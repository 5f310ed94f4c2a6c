package cli

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/check"
	"tourmaline/core/plan"
)

// completing is the argument with which a shell asks what may stand next.
const completing = "--generate-shell-completion"

// configureCompletion shows the command that prints the scripts of shells.
func configureCompletion(c *cli.Command) {
	c.Hidden = false
	c.Usage = "print the script with which a shell completes commands, options and names of the plan"
	c.Description = `Names of boxes, viewports and checks are completed too, from the plan.

Examples:  source <(tourmaline completion bash)        (in .bashrc; zsh alike)
           tourmaline completion fish > ~/.config/fish/completions/tourmaline.fish
           tourmaline completion pwsh > tourmaline.ps1  (and run it)`
	for _, shell := range c.Commands {
		shell.Usage = "print the script of " + shell.Name
		shell.Description = "Example:  tourmaline completion " + shell.Name
	}
}

// complete prints what may stand behind an option that takes names; it is false where
// another completion is asked for.
func (s *session) complete(args []string) bool {
	n := len(args)
	if n < 3 || args[n-1] != completing {
		return false
	}
	option, begun := args[n-2], ""
	if !strings.HasPrefix(option, "-") && n > 3 {
		option, begun = args[n-3], option
	}
	if name, value, ok := strings.Cut(option, "="); ok {
		option, begun = name, value
	}
	values := valuesOf(strings.TrimLeft(option, "-"), args)
	if !strings.HasPrefix(option, "-") || values == nil {
		return false
	}
	list := ""
	if i := strings.LastIndexByte(begun, ','); i >= 0 { // lists such as bare,contrast
		list, begun = begun[:i+1], begun[i+1:]
	}
	for _, v := range values {
		if strings.HasPrefix(v, begun) {
			fmt.Fprintln(s.out, list+v)
		}
	}
	return true
}

// valuesOf are the words that an option takes; nil for options that take others.
func valuesOf(option string, args []string) []string {
	switch option {
	case "box", "at":
		return namesOf(option, args)
	case "only", "skip", "explain":
		if slices.Contains(args, "settle") {
			return []string{"position", "scrim", "color", "size", "gradient", "repeat"}
		}
		var names []string
		for _, c := range check.Checks {
			names = append(names, c.Name)
		}
		return names
	case "fail-on":
		return []string{"note", "warning", "error"}
	case "effort":
		return []string{"quick", "thorough"}
	case "try":
		return []string{"position=0%..100%", "position-x=0%..100%", "position-y=0%..100%", "size=16px..64px",
			"scrim=0%..80%"}
	}
	return nil
}

// namesOf are the names of boxes or viewports of the plan that is named, or of the usual one.
func namesOf(option string, args []string) []string {
	path := app.PlanName
	if i := slices.IndexFunc(args, app.IsPlan); i >= 0 {
		path = args[i]
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return []string{}
	}
	p, err := plan.Parse(path, data)
	if err != nil {
		return []string{}
	}
	names := []string{}
	if option == "box" {
		for _, b := range p.All() {
			names = append(names, b.Name)
		}
		return names
	}
	for _, v := range p.Named {
		names = append(names, v.Name)
	}
	return names
}
