package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"

	"github.com/spf13/cobra"

	"sieb/core/draft"
	"sieb/core/target"
)

func (a *app) draft() *cobra.Command {
	var name, out string
	var sql, replace bool
	var share share
	cmd := &cobra.Command{
		Use:   "draft FILE",
		Short: "Writes a first target from what a file holds",
		Long: `Reads every row and writes a first target: names, datatypes, formats, lengths,
what is required and unique, the values of small sets, texts that stand for a
missing value, and remedies for what was found. A comment beside each rule says
what it is based on. Read it, correct what you know better, and sift with it:
only rows that "sieb profile" points out are then rejected.

The draft is printed, or written to --out. --sql prints a create table statement
for the accepted rows as well.`,
		Example: `  sieb draft weighbridge-ahrensee-2026-07.csv --out tickets.yaml
  sieb draft weighbridge-ahrensee-2026-07.csv --name tickets --sql`,
		Args: oneFile,
	}
	layoutFlags := addLayoutFlags(cmd)
	share.add(cmd)
	cmd.Flags().StringVar(&name, "name", "", "name of the target; by default derived from the file's")
	cmd.Flags().StringVar(&out, "out", "", "file to write the target to")
	cmd.Flags().BoolVar(&replace, "replace", false, "overwrite the file given by --out")
	cmd.Flags().BoolVar(&sql, "sql", false, "also print a create table statement")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if name != "" && !target.IsName(name) {
			return usagef("--name %q: a name is made of letters, digits, _ and -, and begins with none of the last",
				name)
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
