package cli

import (
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/target"
)

func (a *app) sift() *cobra.Command {
	var targetPath, out string
	var workers int
	var guard, sums bool
	cmd := &cobra.Command{
		Use:   "sift FILE",
		Short: "Reads, cleans, checks and splits every row of a file",
		Long: `Sifts a file through a target: every row is read, cleaned by the target's
remedies and checked against its rules. Rows without a violation that rejects
go to accepted.csv in canonical form (UTF-8, commas, ISO dates, decimal
points), the others to rejected.csv with the reasons; violations.csv lists
every violation, and manifest.json proves the run.

Without --target every row that reads cleanly is accepted. Without --out
nothing is written.

Exit codes: 0 accepted, 3 split, 4 refused, 1 failed, 2 wrong usage.`,
		Example: `  sieb sift weighbridge-ahrensee-2026-07.csv --target tickets_ahrensee.yaml --out sifted
  sieb sift weighbridge-brunnthal-2026-07.csv --target tickets_brunnthal.yaml --format json
  sieb sift tickets.txt --delimiter tab --encoding windows-1252 --out plain`,
		Args: oneFile,
	}
	layoutFlags := addLayoutFlags(cmd)
	cmd.Flags().StringVar(&targetPath, "target", "", "file of the target, YAML or JSON")
	cmd.Flags().StringVar(&out, "out", "", "folder for the outputs; created if missing")
	cmd.Flags().BoolVar(&guard, "guard-formulas", false,
		"in rejected.csv and violations.csv, put an apostrophe before cells that a spreadsheet would run as formulas")
	cmd.Flags().BoolVar(&sums, "sha256", false,
		"add the outputs' SHA-256 to the manifest, beside BLAKE3; the run takes longer")
	cmd.Flags().IntVar(&workers, "workers", 0, "number of workers; 0 for one per processor")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if workers < 0 {
			return usagef("--workers %d: it is 0 or more", workers)
		}
		t, err := readTarget(targetPath)
		if err != nil {
			return err
		}
		file, err := layoutFlags.open(args[0])
		if err != nil {
			return err
		}
		defer file.Close()
		set, done := a.progress("sifting", file.Size)
		run := report.Run{Delivery: file, Target: t, Dir: out, Version: Version, Workers: workers, Guard: guard,
			SHA256Outputs: sums,
			Progress:      func(p sift.Progress) { set(p.Bytes) }}
		summary, err := run.Do(cmd.Context())
		done()
		if err != nil {
			return err
		}
		if a.format == "json" {
			err = a.json(summary)
		} else {
			fmt.Fprintf(a.out, "%s  %s\n\n", file.Name, describe(file.Layout))
			a.showResult(summary.Result)
			if summary.Outputs != nil {
				fmt.Fprintf(a.out, "\nwritten: %s\n         %s\n         %s\n         %s\n", summary.Outputs.Accepted,
					summary.Outputs.Rejected, summary.Outputs.Violations, summary.Outputs.Manifest)
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

// readTarget reads a target's file; without a path there is no target.
func readTarget(path string) (*target.Target, error) {
	if path == "" {
		return nil, nil
	}
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("the target cannot be read: %w; --target names a YAML or JSON file", err)
	}
	t, err := target.Parse(text)
	if err != nil {
		lines := strings.Split(err.Error(), "\n")
		return nil, fmt.Errorf("%s:\n  %s", path, strings.Join(lines, "\n  "))
	}
	return t, nil
}

// showResult prints verdict, tally, violations and remedies.
func (a *app) showResult(r *sift.Result) {
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
	fmt.Fprintf(a.out, "tally     %s read = %s accepted + %s rejected + %s excluded\n", grouped(r.Tally.Read),
		grouped(r.Tally.Accepted),
		grouped(r.Tally.Rejected), grouped(r.Tally.Excluded))
	if r.BlankLines > 0 {
		fmt.Fprintf(a.out, "          %s ignored\n", plural(r.BlankLines, "blank line is", "blank lines are"))
	}
	if len(r.Violations) > 0 {
		rows := make([][]string, 0, len(r.Violations))
		for _, g := range r.Violations {
			where, why := "", ""
			if len(g.Samples) > 0 {
				s := g.Samples[0]
				where, why = fmt.Sprintf("row %s, line %s", grouped(s.Row), grouped(s.Line)), s.Message
				if s.Row == 0 {
					where = fmt.Sprintf("line %s", grouped(s.Line))
				}
			}
			rows = append(rows, []string{grouped(g.Rows), g.Column, g.Code.String(), g.Action.String(), where,
				visible(why)})
		}
		fmt.Fprintln(a.out)
		rest := max(30, a.width()-78)
		a.table([]columnOf{{title: "rows", number: true}, {title: "column", most: 20}, {title: "violation"},
			{title: "action"}, {title: "first", most: 24}, {title: "what is wrong there", most: rest, wrap: true}},
			rows)
	}
	var changed [][]string
	for _, m := range r.Remedies {
		if m.Changed > 0 {
			changed = append(changed, []string{grouped(m.Changed), m.Column, m.Remedy})
		}
	}
	if len(changed) > 0 {
		fmt.Fprintln(a.out)
		a.table([]columnOf{{title: "cells", number: true}, {title: "column", most: 20}, {title: "changed by remedy"}},
			changed)
	}
}
