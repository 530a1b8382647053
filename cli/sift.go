package cli

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/reference"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/core/value"
)

func (a *app) sift() *cobra.Command {
	var by rules
	var out string
	var explain int64
	var guard, sums, changes bool
	var write writing
	cmd := &cobra.Command{
		Use:   "sift FILE",
		Short: "Reads, cleans, checks and splits every row of a file",
		Long: `Sifts a file through a target: every row is read, cleaned by the target's
remedies and checked against its rules. Rows without a violation that rejects
go to accepted.csv in canonical form (UTF-8, commas, ISO dates, decimal
points), those that a condition leaves out to excluded.csv, the others to
rejected.csv with the reasons; violations.csv lists every violation, and
manifest.json proves the run.

A mapping says how one sender writes: the layout of the file, which columns
feed which, formats, remedies and what is left out. "sieb draft FILE --target
TARGET" writes one.

Without --target every row that reads cleanly is accepted. Without --out
nothing is written. With --write accepted rows are written in other forms,
any number of them in the one pass: typed and with nulls as Parquet, JSON
Lines or a workbook, or as text in a dialect that a receiver wants.

Exit codes: 0 accepted, 3 split, 4 refused, 1 failed, 2 wrong usage.`,
		Example: `  sieb sift weighbridge-ahrensee-2026-07.csv --target weighbridge_tickets.yaml --mapping ahrensee.yaml --out sifted
  sieb sift growers-2026.ods --target growers.yaml --format json
  sieb sift tickets.txt --delimiter tab --encoding windows-1252 --out plain
  sieb sift growers-2026.ods --target growers.yaml --out sifted --write csv,parquet,xlsx
  sieb sift growers-2026.ods --target growers.yaml --out sifted --write delimited --write-delimiter ";"`,
		Args: oneFile,
	}
	layoutFlags := addLayoutFlags(cmd)
	by.add(cmd)
	write.add(cmd)
	cmd.Flags().StringVar(&out, "out", "", "folder for the outputs; created if missing")
	cmd.Flags().BoolVar(&guard, "guard-formulas", false,
		"in rejected.csv and violations.csv, put an apostrophe before cells that a spreadsheet would run as formulas")
	cmd.Flags().BoolVar(&sums, "sha256", false,
		"add the outputs' SHA-256 to the manifest, beside BLAKE3; the run takes longer")
	cmd.Flags().Int64Var(&explain, "explain", 0,
		"number of a row: show what is made of it, cell by cell and rule by rule, and write nothing")
	cmd.Flags().BoolVar(&changes, "changes", false,
		"show how each remedy changed cells: before, after, and in how many")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if explain < 0 || explain == 0 && cmd.Flags().Changed("explain") {
			return usagef("--explain %d: rows are counted from 1", explain)
		}
		if err := by.check(); err != nil {
			return err
		}
		t, err := readTarget(by.target, by.mapping)
		if err != nil {
			return err
		}
		file, err := layoutFlags.open(args[0], mappingOf(t))
		if err != nil {
			return err
		}
		defer file.Close()
		run, err := by.run(cmd.Context(), file, t)
		if err != nil {
			return err
		}
		run.Dir, run.Guard, run.SHA256Outputs = out, guard, sums
		if run.Write, err = write.all(mappingOf(t)); err != nil {
			return err
		}
		if out == "" && len(write.forms) > 0 {
			return usagef("--write needs a folder: add --out DIR")
		}
		if explain > 0 {
			e, err := run.Explain(cmd.Context(), explain)
			if err != nil {
				return err
			}
			return a.showExplanation(e)
		}
		set, done := a.progress("sifting", file.Size)
		run.Progress = func(p sift.Progress) { set(p.Bytes) }
		summary, err := run.Do(cmd.Context())
		done()
		if err != nil {
			return err
		}
		if a.format == "json" {
			err = a.json(summary)
		} else {
			fmt.Fprintf(a.out, "%s  %s\n\n", file.Name, describe(file.Layout))
			a.showResult(summary.Result, summary.Unfit)
			if changes {
				a.showChanges(summary.Remedies)
			}
			if summary.Outputs != nil {
				o := summary.Outputs
				fmt.Fprintf(a.out, "\nwritten: %s\n", strings.Join(append(append([]string{o.Accepted}, o.Also...), o.Rejected,
					o.Excluded, o.Violations, o.Manifest), "\n         "))
				if filepath.Base(o.Accepted) == report.AcceptedName {
					fmt.Fprintf(a.out, "see the rows: sieb rows %s\n", argument(filepath.Dir(o.Accepted)))
				}
			} else {
				fmt.Fprintf(a.out, "\nnothing was written; --out DIR writes the accepted and the rejected rows\n")
			}
		}
		if err != nil {
			return err
		}
		return verdictCode(summary.Verdict)
	}
	return cmd
}

func verdictCode(v sift.Verdict) error {
	switch v {
	case sift.Split:
		return exit(exitSplit)
	case sift.Refused:
		return exit(exitRefused)
	}
	return nil
}

// dayOf reads the day on which rules count; "" is the present one.
func dayOf(text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	day, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return day, usagef("--today %q: it is a day such as 2026-07-31", text)
	}
	return day, nil
}

// readTarget reads a target's file, and joins it with a mapping's, where there is one;
// without a path there is no target.
func readTarget(path, mappingPath string) (*target.Target, error) {
	if path == "" {
		if mappingPath != "" {
			return nil, usagef("--mapping needs the target that it is for: add --target")
		}
		return nil, nil
	}
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("the target cannot be read: %w; --target names a YAML or JSON file", err)
	}
	t, err := target.Parse(text)
	if err != nil {
		return nil, inFile(path, err)
	}
	if mappingPath == "" {
		return t, nil
	}
	if text, err = os.ReadFile(mappingPath); err != nil {
		return nil, fmt.Errorf("the mapping cannot be read: %w; --mapping names a YAML or JSON file", err)
	}
	m, err := target.ParseMapping(text)
	if err == nil {
		t, err = t.With(m)
	}
	if err != nil {
		return nil, inFile(mappingPath, err)
	}
	return t, nil
}

// readCodes reads the code lists that a target names.
func readCodes(ctx context.Context, t *target.Target, files map[string]string) (all []*codes.List, err error) {
	var named []string
	if t != nil {
		named = t.CodeLists()
	}
	for _, name := range named {
		path, ok := files[name]
		if !ok {
			return nil, usagef("the target names the code list %s: give its file with --codes %s=FILE", name, name)
		}
		l, err := readCodeList(ctx, name, path)
		if err != nil {
			return nil, err
		}
		all = append(all, l)
	}
	for name := range files {
		if !slices.Contains(named, name) {
			return nil, usagef("--codes %s: the target names no code list of that name", name)
		}
	}
	return all, nil
}

func readCodeList(ctx context.Context, name, path string) (*codes.List, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("the code list %s cannot be read: %w", name, err)
	}
	l, err := codes.Parse(ctx, name, text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return l, nil
}

// readCompanion reads the file with the control values of a delivery; nil where no path is
// given.
func readCompanion(t *target.Target, path string) (*check.Companion, error) {
	switch {
	case path == "" && t != nil && t.NeedsCompanion():
		return nil, usagef("a control value stands in a file that comes with the delivery: name it with --companion FILE")
	case path == "":
		return nil, nil
	case t == nil || !t.NeedsCompanion():
		return nil, usagef("--companion %s: no control value of the target stands in a companion file", path)
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, fmt.Errorf("the companion file cannot be read: %w", err)
	}
	defer f.Close()
	return check.ReadCompanion(filepath.Base(path), f)
}

// referred reads the files with the tables that a target refers to.
func referred(ctx context.Context, t *target.Target, files map[string]string, lists []*codes.List,
	room reference.Room) (all []*reference.Keys, err error) {
	if t == nil {
		return nil, nil
	}
	var named []string
	for _, fk := range t.Constraints() {
		named = append(named, fk.Reference.Resource)
		if fk.Reference.Table != "" {
			return nil, fmt.Errorf("the target refers to the table %s of the database %s, which only a service can "+
				"read: sieb runs start", fk.Reference.Table, fk.Reference.Database)
		}
		if fk.Reference.Codes != "" {
			keys, err := reference.OfCodes(ctx, t, &fk, codes.Named(lists, fk.Reference.Codes))
			if err != nil {
				return nil, err
			}
			all = append(all, keys)
			continue
		}
		path, ok := files[fk.Reference.Resource]
		if !ok {
			return nil, usagef("the target refers to %s: name the file of its rows with --reference %s=FILE",
				fk.Reference.Resource, fk.Reference.Resource)
		}
		keys, err := keysOf(ctx, t, &fk, path, room)
		if err != nil {
			return nil, err
		}
		all = append(all, keys)
	}
	for name := range files {
		if !slices.Contains(named, name) {
			return nil, usagef("--reference %s: the target refers to nothing of that name", name)
		}
	}
	return all, nil
}

func keysOf(ctx context.Context, t *target.Target, fk *target.ForeignKey, path string,
	room reference.Room) (*reference.Keys, error) {
	file, err := source.Open(ctx, path, layout.Given{})
	if err != nil {
		return nil, err
	}
	defer file.Close()
	rows, err := file.Rows(ctx)
	if err != nil {
		return nil, err
	}
	defer source.Close(rows)
	return reference.Read(ctx, fk.Reference.Name(), reference.Columns(t, fk), rows, file.Layout.Encoding, room)
}

// inFile says in which file something is wrong, below its name.
func inFile(path string, err error) error {
	return fmt.Errorf("%s:\n  %s", path, strings.ReplaceAll(err.Error(), "\n", "\n  "))
}

// mappingOf returns the mapping that a target is joined with, nil for none.
func mappingOf(t *target.Target) *target.Mapping {
	if t == nil {
		return nil
	}
	return t.Mapping
}

// showResult prints verdict, tally, violations and remedies.
func (a *app) showResult(r *sift.Result, unfit []suggest.Unfit) {
	meaning := map[sift.Verdict]string{
		sift.Accepted: "no row was rejected",
		sift.Split:    "some rows were rejected; no limit is set",
		sift.Refused:  "the delivery as a whole must not be loaded",
	}[r.Verdict]
	if r.Verdict == sift.Split && r.Tolerance != "" {
		meaning = "some rows were rejected, within the tolerance of " + r.Tolerance
	}
	fmt.Fprintf(a.out, "verdict   %s: %s\n", r.Verdict, meaning)
	if r.Refusal != "" {
		fmt.Fprintf(a.out, "          %s\n", r.Refusal)
	}
	fmt.Fprintf(a.out, "tally     %s read = %s accepted + %s rejected + %s excluded\n", value.Thousands(r.Tally.Read),
		value.Thousands(r.Tally.Accepted),
		value.Thousands(r.Tally.Rejected), value.Thousands(r.Tally.Excluded))
	if r.BlankLines > 0 {
		fmt.Fprintf(a.out, "          %s ignored\n", value.Count(r.BlankLines, "blank line is", "blank lines are"))
	}
	for _, x := range r.Excluded {
		fmt.Fprintf(a.out, "          %s excluded: %s\n", value.Count(x.Rows, "row", "rows"), visible(x.Reason))
	}
	if len(r.LeftOut) > 0 {
		fmt.Fprintf(a.out, "left out  %s\n", visible(strings.Join(r.LeftOut, ", ")))
	}
	for _, u := range unfit {
		fmt.Fprintf(a.out, "column    %s\n", visible(u.Column+", fed by "+quotedText(u.Header)+": "+u.Message))
	}
	for _, s := range r.References {
		fmt.Fprintf(a.out, "refers to %s, %s\n", visible(s.Name), value.Count(s.Keys, "key", "keys"))
	}
	for _, u := range r.Unjudged {
		fmt.Fprintf(a.out, "not judged in %s, where a value is missing or wrong: %s\n", value.Count(u.Rows, "row", "rows"),
			visible(u.Rule))
	}
	if len(r.Violations) > 0 {
		rows := make([][]string, 0, len(r.Violations))
		// What rejects stands before what is only told.
		groups := slices.SortedStableFunc(slices.Values(r.Violations), func(a, b sift.Group) int {
			return cmp.Compare(b.Action.Weight(), a.Action.Weight())
		})
		for _, g := range groups {
			where, why := "", ""
			if len(g.Samples) > 0 {
				s := g.Samples[0]
				where, why = fmt.Sprintf("row %s, line %s", value.Thousands(s.Row), value.Thousands(s.Line)), s.Message
				if s.Row == 0 {
					where = fmt.Sprintf("line %s", value.Thousands(s.Line))
				}
			}
			rows = append(rows, []string{value.Thousands(g.Rows), g.Column, g.Code.String(), g.Action.String(), where,
				visible(why)})
		}
		fmt.Fprintln(a.out)
		rest := max(30, a.width()-78)
		a.table([]columnOf{{title: "rows", number: true}, {title: "column", most: 30}, {title: "violation"},
			{title: "action"}, {title: "first", most: 24}, {title: "what is wrong there", most: rest, wrap: true}},
			rows)
	}
	var changed [][]string
	var idle []string
	for _, m := range r.Remedies {
		if m.Changed > 0 {
			spoilt := ""
			if m.Spoilt > 0 {
				spoilt = value.Count(m.Spoilt, "was right before, and breaks a rule since",
					"were right before, and break a rule since")
			}
			changed = append(changed, []string{value.Thousands(m.Changed), m.Column, m.Remedy, spoilt})
		} else {
			idle = append(idle, m.Column+" "+m.Remedy)
		}
	}
	if len(changed) > 0 {
		fmt.Fprintln(a.out)
		a.table([]columnOf{{title: "cells", number: true}, {title: "column", most: 20}, {title: "changed by remedy"},
			{title: ""}},
			changed)
	}
	if len(idle) > 0 {
		const most = 12
		rest := ""
		if n := len(idle) - most; n > 0 {
			idle, rest = idle[:most], fmt.Sprintf(" and %d more", n)
		}
		fmt.Fprintf(a.out, "\nremedies that changed nothing: %s%s\n", visible(strings.Join(idle, ", ")), rest)
	}
}
