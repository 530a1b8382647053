package cli

import (
	"bufio"
	"context"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"sieb/core/brief"
	"sieb/core/codes"
	"sieb/core/csvw"
	"sieb/core/ddl"
	"sieb/core/dictionary"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/paper"
)

// meant is the target that a command is about: one that the service knows, or a file.
type meant struct {
	file  string
	lists map[string]string
}

func (m *meant) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&m.file, "file", "", "file of a target, YAML or JSON, in place of one that the service knows")
	cmd.Flags().StringToStringVar(&m.lists, "codes", nil,
		"NAME=FILE: with --file, the file of a code list that the target names")
	cmd.Args = func(_ *cobra.Command, args []string) error {
		switch {
		case m.file == "" && len(args) != 1:
			return usagef("name one target that the service knows, or a file with --file")
		case m.file != "" && len(args) > 0:
			return usagef("name a target or --file, not both")
		}
		return nil
	}
}

// read returns the target with its code lists.
func (m *meant) read(cmd *cobra.Command, args []string) (*target.Target, []*codes.List, error) {
	ctx := cmd.Context()
	if m.file != "" {
		t, err := readTarget(m.file, "")
		if err != nil {
			return nil, nil, err
		}
		lists, err := readCodes(ctx, t, m.lists)
		return t, lists, err
	}
	c := connect(cmd)
	text, err := c.Target(ctx, args[0], 0)
	if err != nil {
		return nil, nil, err
	}
	t, err := target.Parse([]byte(text.Text))
	if err != nil {
		return nil, nil, err
	}
	var lists []*codes.List
	for _, name := range t.CodeLists() {
		kept, err := c.Codes(ctx, name, 0)
		if err != nil {
			return nil, nil, err
		}
		l, err := codes.Parse(ctx, name, []byte(kept.Text))
		if err != nil {
			return nil, nil, err
		}
		lists = append(lists, l)
	}
	return t, lists, nil
}

// template writes the workbook that a sender fills in.
func (a *app) template() *cobra.Command {
	var of meant
	var out string
	cmd := &cobra.Command{
		Use: "template NAME --out FILE.xlsx", Short: "Writes an empty workbook for senders to fill in",
		Long: `Writes a workbook for the senders of a target's rows: a sheet with the headings, those of
mandatory columns marked, and lists to choose from; a sheet with a row that is filled
in; and one that explains each column in words.`,
		Example: `  sieb targets template weighbridge_tickets --out tickets.xlsx
  sieb targets template --file weighbridge_tickets.yaml --out tickets.xlsx`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if out == "" {
				return usagef("where to? --out names a file such as tickets.xlsx")
			}
			t, lists, err := of.read(cmd, args)
			if err != nil {
				return err
			}
			page := brief.Of(t, lists)
			if err := writeFile(out, nil, func(w *bufio.Writer) error { return page.Workbook(w) }); err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(map[string]any{"written": out, "columns": len(page.Columns)})
			}
			fmt.Fprintf(a.out, "written: %s, with %s\n", out, value.Count(int64(len(page.Columns)), "column", "columns"))
			return nil
		},
	}
	of.add(cmd)
	cmd.Flags().StringVar(&out, "out", "", "file to write")
	return cmd
}

// describe explains a target in words.
func (a *app) describe() *cobra.Command {
	var of meant
	var html string
	cmd := &cobra.Command{
		Use: "describe NAME", Short: "Explains a target's columns in words, for its senders",
		Example: `  sieb targets describe weighbridge_tickets
  sieb targets describe weighbridge_tickets --html tickets.html`,
		RunE: func(cmd *cobra.Command, args []string) error {
			t, lists, err := of.read(cmd, args)
			if err != nil {
				return err
			}
			page := brief.Of(t, lists)
			if html != "" {
				if err := writeFile(html, nil, func(w *bufio.Writer) error { return paper.Target(w, page) }); err != nil {
					return err
				}
			}
			switch {
			case a.format == "json":
				return a.json(page)
			case html != "":
				fmt.Fprintf(a.out, "written: %s\n", html)
				return nil
			}
			a.showPage(page)
			return nil
		},
	}
	of.add(cmd)
	cmd.Flags().StringVar(&html, "html", "", "write it as a page to print")
	return cmd
}

func (a *app) showPage(p *brief.Page) {
	fmt.Fprintf(a.out, "%s\n\n", visible(p.Title))
	rows := make([][]string, len(p.Columns))
	for i := range p.Columns {
		c := &p.Columns[i]
		must := ""
		if c.Mandatory {
			must = "mandatory"
		}
		said := strings.Join(append([]string{c.Kind}, c.Rules...), "; ")
		if len(c.Values) > 0 {
			said += "; one of " + c.AllowedWords()
		}
		if c.Meaning != "" {
			said += " (" + c.Meaning + ")"
		}
		rows[i] = []string{visible(c.Heading), must, visible(said), visible(c.Example)}
	}
	a.table([]columnOf{{title: "heading", most: 24}, {title: ""},
		{title: "what is written", most: max(30, a.width()-62), wrap: true},
		{title: "example", most: 20}}, rows)
	if len(p.Rules) > 0 {
		fmt.Fprintln(a.out)
	}
	for _, r := range p.Rules {
		fmt.Fprintln(a.out, visible(r))
	}
}

// createTable writes the statement that creates a target's table.
func (a *app) createTable() *cobra.Command {
	var of meant
	var dialect string
	cmd := &cobra.Command{
		Use: "create-table NAME", Short: "Prints the SQL statement that creates a target's table",
		Example: `  sieb targets create-table weighbridge_tickets --dialect mariadb`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if !slices.Contains(ddl.Dialects(), dialect) {
				return usagef("--dialect %q: it is %s", dialect, strings.Join(ddl.Dialects(), ", "))
			}
			t, _, err := of.read(cmd, args)
			if err != nil {
				return err
			}
			text, err := ddl.Create(t, ddl.Dialect(dialect))
			if err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(map[string]string{"sql": text})
			}
			fmt.Fprint(a.out, text)
			return nil
		},
	}
	of.add(cmd)
	cmd.Flags().StringVar(&dialect, "dialect", string(ddl.Standard), strings.Join(ddl.Dialects(), ", "))
	return cmd
}

// csvw writes a target as CSVW metadata, or makes one of such metadata.
func (a *app) csvw() *cobra.Command {
	var of meant
	var from, table, out, url string
	cmd := &cobra.Command{
		Use: "csvw NAME | --from FILE.json", Short: "Writes CSVW metadata of a target, or makes a target of such metadata",
		Long: `Writes the metadata document (W3C, CSV on the Web) of files of a target's accepted rows, or
makes a target, and a mapping where it has a dialect, of such a document. What one of them
cannot express of the other is listed.`,
		Example: `  sieb targets csvw weighbridge_tickets --out tickets.csv-metadata.json
  sieb targets csvw --from tickets.csv-metadata.json --out tickets.yaml`,
	}
	of.add(cmd)
	cmd.Flags().StringVar(&from, "from", "", "a metadata document to make a target of")
	cmd.Flags().StringVar(&table, "table", "", "with --from: url of the table, where the document has several")
	cmd.Flags().StringVar(&out, "out", "", "file to write to, in place of the screen")
	cmd.Flags().StringVar(&url, "url", "accepted.csv", "url of the file that the metadata is of")
	named := cmd.Args
	cmd.Args = func(cmd *cobra.Command, args []string) error {
		if from != "" {
			if len(args) > 0 || of.file != "" {
				return usagef("--from makes a target: it goes without the name or file of one")
			}
			return nil
		}
		return named(cmd, args)
	}
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		var text []byte
		var left []string
		if from != "" {
			doc, err := os.ReadFile(from)
			if err != nil {
				return fmt.Errorf("the metadata cannot be read: %w", err)
			}
			m, err := csvw.Read(doc, table)
			if err != nil {
				return inFile(from, err)
			}
			text, left = m.Target, m.Left
			if m.Mapping != nil && out != "" {
				beside := strings.TrimSuffix(out, filepath.Ext(out)) + ".mapping.yaml"
				if err := writeText(beside, nil, m.Mapping); err != nil {
					return err
				}
				fmt.Fprintf(a.err, "written: %s, how such files are read\n", beside)
			}
		} else {
			t, _, err := of.read(cmd, args)
			if err != nil {
				return err
			}
			if text, left, err = csvw.Write(t, url); err != nil {
				return err
			}
		}
		return a.made(text, left, out)
	}
	return cmd
}

// made prints a text that was made, or writes it to a file, and lists what it does not say.
func (a *app) made(text []byte, left []string, out string) error {
	if out != "" {
		if err := writeText(out, nil, text); err != nil {
			return err
		}
	}
	switch {
	case a.format == "json":
		return a.json(struct {
			Text    string   `json:"text"`
			Left    []string `json:"left"`
			Written string   `json:"written,omitempty"`
		}{string(text), append([]string{}, left...), out})
	case out != "":
		fmt.Fprintf(a.out, "written: %s\n", out)
	default:
		if _, err := a.out.Write(text); err != nil {
			return err
		}
	}
	for _, l := range left {
		fmt.Fprintf(a.err, "not expressed: %s\n", visible(l))
	}
	return nil
}

// fromDictionary makes a target of a data dictionary.
func (a *app) fromDictionary() *cobra.Command {
	var name, out string
	cmd := &cobra.Command{
		Use: "from-dictionary FILE", Short: "Makes a target of a data dictionary, a CSV file or a workbook", Args: oneFile,
		Long: `Makes a target of a data dictionary: a table with a row for each column, which says how it is
called, its type, length, whether it is required, its values, what it means. The headings
may be English or German and in any order; what was not understood is listed.`,
		Example: `  sieb targets from-dictionary datenfelder.xlsx --name weighbridge_tickets --out tickets.yaml`,
	}
	flags := addLayoutFlags(cmd)
	cmd.Flags().StringVar(&name, "name", "", "name of the target; by default the file's")
	cmd.Flags().StringVar(&out, "out", "", "file to write to, in place of the screen")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		file, err := flags.open(args[0], nil)
		if err != nil {
			return err
		}
		defer file.Close()
		r, err := dictionary.Read(context.WithoutCancel(cmd.Context()), file, name)
		if err != nil {
			return fmt.Errorf("%s: %w", args[0], err)
		}
		for _, heading := range slices.Sorted(maps.Keys(r.Taken)) {
			fmt.Fprintf(a.err, "%s: %s\n", visible(heading), r.Taken[heading])
		}
		return a.made(r.Target, r.Left, out)
	}
	return cmd
}
