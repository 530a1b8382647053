package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"github.com/spf13/cobra"

	"sieb/core/draft"
	"sieb/core/profile"
	"sieb/core/source"
	"sieb/core/target"
)

func (a *app) draft() *cobra.Command {
	var name, out, targetPath string
	var sql, replace bool
	var share share
	var lists map[string]string
	cmd := &cobra.Command{
		Use:   "draft FILE",
		Short: "Writes a first target from what a file holds",
		Long: `Reads every row and writes a first target: names, datatypes, formats, lengths,
what is required and unique, the values of small sets, texts that stand for a
missing value, and remedies for what was found. A comment beside each rule says
what it is based on. Read it, correct what you know better, and sift with it:
only rows that "sieb profile" points out are then rejected.

With --target it writes the mapping by which the file becomes rows of that target:
which column feeds which, formats, texts for missing values, remedies, columns left
out, each with its reason and how many of all rows it fits.

The draft is printed, or written to --out. --sql prints a create table statement
for the accepted rows as well.`,
		Example: `  sieb draft weighbridge-ahrensee-2026-07.csv --out tickets.yaml
  sieb draft weighbridge-ahrensee-2026-07.csv --name tickets --sql
  sieb draft weighbridge-ahrensee-2026-07.csv --target weighbridge_tickets.yaml --out ahrensee.yaml`,
		Args: oneFile,
	}
	layoutFlags := addLayoutFlags(cmd)
	share.add(cmd)
	cmd.Flags().StringVar(&name, "name", "", "name of the target or mapping; by default derived from the file's")
	cmd.Flags().StringVar(&targetPath, "target", "", "draft the mapping of the file to this target, YAML or JSON")
	cmd.Flags().StringToStringVar(&lists, "codes", nil, "NAME=FILE: the file of a code list that the target names")
	cmd.Flags().StringVar(&out, "out", "", "file to write the draft to")
	cmd.Flags().BoolVar(&replace, "replace", false, "overwrite the file given by --out")
	cmd.Flags().BoolVar(&sql, "sql", false, "also print a create table statement")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if name != "" && !target.IsName(name) {
			return usagef("--name %q: a name is made of letters, digits, _ and -, and begins with none of the last",
				name)
		}
		if targetPath != "" && sql {
			return usagef("--sql goes with the draft of a target, not of a mapping")
		}
		t, err := readTarget(targetPath, "")
		if err != nil {
			return err
		}
		codeLists, err := readCodes(cmd.Context(), t, lists)
		if err != nil {
			return err
		}
		if _, err := os.Stat(out); out != "" && !replace && !errors.Is(err, fs.ErrNotExist) {
			return usagef("%s is there already; --replace writes over it", out)
		}
		file, p, err := a.profileOf(cmd.Context(), args[0], layoutFlags, share)
		if err != nil {
			return err
		}
		defer file.Close()
		if p.Rows == 0 {
			return fmt.Errorf("%s has no rows: there is nothing to draw rules from", file.Name)
		}
		if t != nil {
			return a.draftMapping(cmd.Context(), t.WithCodes(codeLists), file, p, name, targetPath, out)
		}
		drafted := draft.Of(file.Name, p)
		if name != "" {
			drafted.Name = name
		}
		text := drafted.YAML()
		if out != "" {
			if err := writeText(out, file, text); err != nil {
				return err
			}
		}
		if a.format == "json" {
			return a.json(struct {
				Target string `json:"target"`
				SQL    string `json:"sql"`
			}{string(text), string(drafted.SQL())})
		}
		if out == "" {
			fmt.Fprintf(a.out, "%s", text)
		} else {
			fmt.Fprintf(a.out, "written: %s\nnext: read it, then sieb sift %s --target %s\n", out, args[0], out)
		}
		if sql {
			fmt.Fprintf(a.out, "\n%s", drafted.SQL())
		}
		return nil
	}
	return cmd
}

// draftMapping drafts the mapping of a file to a target.
func (a *app) draftMapping(ctx context.Context, t *target.Target, file *source.File, p *profile.Profile, name,
	targetPath, out string) error {
	m, err := draft.For(ctx, t, file, file.Name, p)
	if err != nil {
		return err
	}
	if name != "" {
		m.Name = name
	}
	text := m.YAML()
	if out != "" {
		if err := writeText(out, file, text); err != nil {
			return err
		}
	}
	switch {
	case a.format == "json":
		return a.json(struct {
			Mapping string `json:"mapping"`
		}{string(text)})
	case out == "":
		_, err = a.out.Write(text)
		return err
	}
	fmt.Fprintf(a.out, "written: %s\nnext: read it, then sieb sift %s --target %s --mapping %s\n", out, file.Name,
		targetPath, out)
	return nil
}
