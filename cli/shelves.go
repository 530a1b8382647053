package cli

import (
	"cmp"
	"context"
	"fmt"
	"os/user"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"sieb/client"
	"sieb/core/edit"
	"sieb/service/api"
)

// shelf makes the commands that concern a text as a whole, whatever its version.
func (a *app) shelf(l client.Library, what string) []*cobra.Command {
	versions := list(a, "Lists the versions of a "+what+": who, when, and what differs", "there is no such version",
		[]columnOf{{title: "version", number: true}, {title: "added"}, {title: "by", most: 20},
			{title: "what differs from the one before", most: 90, wrap: true}},
		func(cmd *cobra.Command, p pageFlags) (api.Page[api.TextVersion], error) {
			return connect(cmd).Versions(cmd.Context(), l, cmd.Flags().Arg(0), p.offset, p.limit)
		},
		func(v api.TextVersion) []string {
			return []string{strconv.Itoa(v.Version), v.AddedAt.Local().Format(dateTime), visible(v.AddedBy),
				visible(differWords(v.Differs))}
		})
	versions.Use, versions.Args = "versions NAME", one(what)
	uses := list(a, "Lists the deliveries that were sifted by a "+what, "no delivery was sifted by it yet",
		[]columnOf{{title: "delivery"}, {title: "name", most: 50}, {title: "version", number: true}, {title: "outcome"},
			{title: "sifted"}},
		func(cmd *cobra.Command, p pageFlags) (api.Page[api.TextUse], error) {
			return connect(cmd).Uses(cmd.Context(), l, cmd.Flags().Arg(0), p.offset, p.limit)
		},
		func(u api.TextUse) []string {
			return []string{u.Delivery, visible(u.Name), strconv.Itoa(u.Version), cmp.Or(u.Verdict, u.State),
				u.At.Local().Format(dateTime)}
		})
	uses.Use, uses.Args = "uses NAME", one(what)
	return []*cobra.Command{versions, uses, a.under("copy", "Makes a copy of a "+what+" under another name", what, l,
		(*client.Client).Copy), a.under("rename", "Renames a "+what+": a copy takes its place, and it is retired", what, l,
		(*client.Client).Rename), a.retire(l, what)}
}

// under makes a command that gives a text another name.
func (a *app) under(verb, short, what string, l client.Library,
	do func(*client.Client, context.Context, client.Library, string, api.NewName) (api.Target, error)) *cobra.Command {
	return &cobra.Command{Use: verb + " NAME NEW", Short: short,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 2 {
				return usagef("name the %s, and its new name", what)
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := do(connect(cmd), cmd.Context(), l, args[0], api.NewName{Name: args[1], By: whoami()})
			if err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(t)
			}
			fmt.Fprintf(a.out, "%s %s, version %d\n", what, t.Name, t.Version)
			return nil
		}}
}

func (a *app) retire(l client.Library, what string) *cobra.Command {
	var back bool
	cmd := &cobra.Command{Use: "retire NAME", Short: "Takes a " + what + " out of lists; it can be used as before",
		Args: one(what), RunE: func(cmd *cobra.Command, args []string) error {
			if err := connect(cmd).Retire(cmd.Context(), l, args[0], !back); err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(api.Retirement{Retired: !back})
			}
			fmt.Fprintf(a.out, "%s %s is %s\n", what, args[0], map[bool]string{true: "back in lists", false: "retired"}[back])
			return nil
		}}
	cmd.Flags().BoolVar(&back, "back", false, "put it back")
	return cmd
}

// differWords writes differences in a line.
func differWords(all []edit.Difference) string {
	const most = 6
	var parts []string
	for _, d := range all[:min(len(all), most)] {
		parts = append(parts, strings.TrimSpace(d.Column+" "+d.Words))
	}
	if n := len(all) - most; n > 0 {
		parts = append(parts, fmt.Sprintf("and %d more", n))
	}
	return strings.Join(parts, "; ")
}

// whoami returns the name of who works at this machine; "" where it is not known.
func whoami() string {
	u, err := user.Current()
	if err != nil {
		return ""
	}
	return cmp.Or(u.Name, u.Username)
}
