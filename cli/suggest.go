package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"sieb/core/codes"
	"sieb/core/edit"
	"sieb/core/finding"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/core/value"
)

// suggestions is what suggest prints for programs.
type suggestions struct {
	Tally       sift.Tally           `json:"tally" doc:"as it is without any of them"`
	Suggestions []suggest.Suggestion `json:"suggestions"`
	Together    *suggest.Together    `json:"together"`
}

func (a *app) suggest() *cobra.Command {
	var by rules
	var take []string
	var column string
	cmd := &cobra.Command{
		Use:   "suggest FILE --target TARGET",
		Short: "Suggests what would mend violations, with the rows that it rescues and breaks",
		Long: `Sifts a file through a target and looks for changes that would mend what it finds:
formats in which values are written, remedies, texts for missing values, recodes,
values and limits to allow, rows to leave out, columns that feed others. What holds in
nearly all rows is suggested as a rule, which demands more. Each is tried on all rows:
how many are then accepted that were not, how many the other way round, how many cells
it changes. Nothing is changed unasked.

What loses something says what, and has a best order of its own behind that of what
loses nothing. Where nothing in the file tells which of two readings is right, both say
so, and are in no order: that is for you to decide.

Code lists that --codes gives and the target does not name are suggested where they fit.

Changes of how the sender writes go into the mapping, changes of what the table
demands into the target. --take writes those that you name, by their numbers.`,
		Example: `  sieb suggest weighbridge-ahrensee-2026-07.csv --target weighbridge_tickets.yaml --mapping ahrensee.yaml
  sieb suggest weighbridge-ahrensee-2026-07.csv --target weighbridge_tickets.yaml --mapping ahrensee.yaml --take 1,3`,
		Args: oneFile,
	}
	layoutFlags := addLayoutFlags(cmd)
	by.add(cmd)
	cmd.Flags().StringVar(&column, "column", "", "only for this column of the target")
	cmd.Flags().StringSliceVar(&take, "take", nil,
		"numbers of suggestions, 3.2 for the second choice of the third: write them into mapping and target, in this order")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		ctx := cmd.Context()
		if err := by.check(); err != nil {
			return err
		}
		if by.target == "" {
			return usagef("which target? name its file with --target; sieb draft FILE writes a first one")
		}
		t, err := readTarget(by.target, by.mapping)
		if err != nil {
			return err
		}
		if column != "" && t.Column(column) == nil {
			return usagef("--column %q: the target has no such column", column)
		}
		file, err := layoutFlags.open(args[0], t.Mapping)
		if err != nil {
			return err
		}
		defer file.Close()
		others, err := by.otherLists(ctx, t)
		if err != nil {
			return err
		}
		run, err := by.run(ctx, file, t)
		if err != nil {
			return err
		}
		w, err := a.work(ctx, run, others)
		if err != nil {
			return err
		}
		out, err := a.judged(ctx, w, suggest.Asked{Column: column})
		if err != nil {
			return err
		}
		if len(take) > 0 {
			return a.take(ctx, &by, w, out, take)
		}
		if a.format == "json" {
			return a.json(out)
		}
		a.showSuggestions(args[0], out)
		return nil
	}
	return cmd
}

// otherLists reads the code lists that flags give and the target does not name: columns may take their values
// from them.
func (r *rules) otherLists(ctx context.Context, t *target.Target) (all []*codes.List, err error) {
	for _, name := range slices.Sorted(maps.Keys(r.lists)) {
		if slices.Contains(t.CodeLists(), name) {
			continue
		}
		l, err := readCodeList(ctx, name, r.lists[name])
		if err != nil {
			return nil, err
		}
		all = append(all, l)
		delete(r.lists, name)
	}
	return all, nil
}

// work sifts a file for suggestions, and profiles it for those that its values make; others are code lists that
// columns may take their values from.
func (a *app) work(ctx context.Context, run *report.Run, others []*codes.List) (*suggest.Work, error) {
	w := &suggest.Work{Texts: suggest.Texts{Target: run.Target.Text}, File: run.Delivery, Lists: run.Codes,
		Account: &sift.Account{}, Codes: others}
	if run.Target.Mapping != nil {
		w.Mapping = run.Target.Mapping.Text
	}
	w.Rehearse = func(ctx context.Context, t *target.Target) (*sift.Result, *sift.Account, error) {
		one, account := *run, &sift.Account{}
		one.Target, one.Progress, one.Codes = t, nil, slices.Concat(run.Codes, others)
		result, err := one.Rehearse(ctx, account, 0)
		return result, account, err
	}
	set, done := a.progress("sifting", run.Delivery.Size)
	defer done()
	run.Progress = func(p sift.Progress) { set(p.Bytes / 2) }
	var err error
	if w.Result, err = run.Rehearse(ctx, w.Account, 0); err != nil {
		return nil, err
	}
	w.Profile, err = finding.Profile(ctx, run.Delivery, profile.Options{
		Progress: func(p profile.Progress) { set((run.Delivery.Size + p.Bytes) / 2) }})
	return w, err
}

// judged looks for suggestions, tries each on all rows, and puts them in order.
func (a *app) judged(ctx context.Context, w *suggest.Work, asked suggest.Asked) (*suggestions, error) {
	set, done := func(int64) {}, func() {}
	defer func() { done() }()
	found, err := w.Judged(ctx, asked, func(all []suggest.Suggestion, tried int) error {
		if tried == 0 {
			set, done = a.progress("trying suggestions", int64(len(all)))
		}
		set(int64(tried))
		return nil
	})
	if err != nil {
		return nil, err
	}
	together, err := w.Order(ctx, found)
	return &suggestions{w.Result.Tally, append([]suggest.Suggestion{}, found...), together}, err
}

func (a *app) showSuggestions(file string, s *suggestions) {
	fmt.Fprintf(a.out, "tally     %s read = %s accepted + %s rejected + %s excluded\n\n", value.Thousands(s.Tally.Read),
		value.Thousands(s.Tally.Accepted), value.Thousands(s.Tally.Rejected), value.Thousands(s.Tally.Excluded))
	if len(s.Suggestions) == 0 {
		fmt.Fprintln(a.out, map[bool]string{true: "nothing is rejected, and nothing is suggested",
			false: "no change is known that would mend what is rejected: ask the sender"}[s.Tally.Rejected == 0])
		return
	}
	var rows [][]string
	number := map[string]int{}
	for i := range s.Suggestions {
		of := &s.Suggestions[i]
		number[of.ID] = i + 1
		words := of.Words
		switch {
		case of.Weakens:
			words += " (demands less)"
		case of.Demands():
			words += " (demands more)"
		case of.Doubt != "":
			words += " (in doubt: " + of.Doubt + ")"
		case of.Loses != "":
			words += " (loses: " + of.Loses + ")"
		}
		row := func(number, words string, e *suggest.Effect, changes string) []string {
			return []string{number, visible(cmp.Or(of.Column, "rows")), visible(words), signed(e.Rescued), signed(e.Excluded),
				signed(-e.Broken), value.Thousands(e.Changed), changes}
		}
		rows = append(rows, row(strconv.Itoa(i+1), words, of.Effect, of.Changes))
		for k, c := range of.Choices {
			rows = append(rows, row(fmt.Sprintf("%d.%d", i+1, k+1), "or only to "+c.Value, c.Effect, of.Changes))
		}
	}
	a.table([]columnOf{{title: "no", number: true}, {title: "column", most: 20},
		{title: "suggestion", most: max(30, a.width()-82), wrap: true}, {title: "rescues", number: true},
		{title: "leaves out", number: true}, {title: "breaks", number: true}, {title: "cells", number: true},
		{title: "changes"}}, rows)
	var next string
	for _, of := range []struct {
		taken []suggest.Taken
		what  string
	}{{s.Together.Taken, "in the best order"}, {s.Together.Losing, "what loses something, in its best order"}} {
		if len(of.taken) == 0 {
			continue
		}
		var order []string
		for _, t := range of.taken {
			order = append(order, strconv.Itoa(number[t.ID]))
		}
		last := of.taken[len(of.taken)-1]
		fmt.Fprintf(a.out, "\n%s: %s %s %s of %s", of.what, strings.Join(order, ", "),
			map[bool]string{true: "mends", false: "mend"}[len(order) == 1], value.Thousands(last.Rescued),
			value.Count(s.Together.Rejected, "rejected row", "rejected rows"))
		if last.Broken > 0 {
			fmt.Fprintf(a.out, "; %s then repeat the key of a rescued one", value.Count(last.Broken, "row", "rows"))
		}
		next = cmp.Or(next, strings.Join(order, ","))
	}
	if next != "" {
		fmt.Fprintf(a.out, "\nnext: sieb suggest %s … --take %s\n", file, next)
	}
}

// signed writes a change of a count; nothing for none.
func signed(n int64) string {
	switch {
	case n > 0:
		return "+" + value.Thousands(n)
	case n < 0:
		return "−" + value.Thousands(-n)
	}
	return ""
}

// numbered returns the steps and the words of the suggestion with a number, or of one of its choices.
func (s *suggestions) numbered(number string) ([]edit.Step, string, error) {
	first, second, isChoice := strings.Cut(strings.TrimSpace(number), ".")
	n, err := strconv.Atoi(first)
	if err != nil {
		return nil, "", usagef("--take %s: a number of a suggestion is meant, as 3, or 3.2 for its second choice", number)
	}
	if n < 1 || n > len(s.Suggestions) {
		return nil, "", usagef("--take %s: there are %d suggestions", number, len(s.Suggestions))
	}
	of := &s.Suggestions[n-1]
	if !isChoice {
		return of.Steps, of.Words, nil
	}
	k, err := strconv.Atoi(second)
	if err != nil || k < 1 || k > len(of.Choices) {
		return nil, "", usagef("--take %s: suggestion %d has %s", number, n,
			value.Count(int64(len(of.Choices)), "choice", "choices"))
	}
	return of.Choices[k-1].Steps, of.Choices[k-1].Words, nil
}

// take writes suggestions into the files that they change, and says what a run then gives.
func (a *app) take(ctx context.Context, by *rules, w *suggest.Work, s *suggestions, numbers []string) error {
	var steps []edit.Step
	var words []string
	known := map[string]bool{}
	for _, number := range numbers {
		if known[number] {
			continue
		}
		known[number] = true
		more, said, err := s.numbered(number)
		if err != nil {
			return err
		}
		steps, words = append(steps, more...), append(words, said)
	}
	texts, err := w.With(steps)
	if err != nil {
		return err
	}
	t, err := texts.Parse()
	var problems target.Problems
	if errors.As(err, &problems) {
		return fmt.Errorf("these suggestions do not go together: %w; take fewer of them", problems)
	} else if err != nil {
		return err
	}
	result, _, err := w.Rehearse(ctx, t)
	if err != nil {
		return err
	}
	var written []string
	for path, change := range map[string][2][]byte{by.target: {w.Target, texts.Target}, by.mapping: {w.Mapping,
		texts.Mapping}} {
		if string(change[0]) == string(change[1]) {
			continue
		}
		if now, err := os.ReadFile(path); err != nil || string(now) != string(change[0]) {
			return fmt.Errorf("%s has changed meanwhile, and is not written over; ask again", path)
		}
		if err := writeText(path, w.File, change[1]); err != nil {
			return err
		}
		written = append(written, path)
	}
	slices.Sort(written)
	if a.format == "json" {
		return a.json(struct {
			Written []string   `json:"written"`
			Taken   []string   `json:"taken"`
			Tally   sift.Tally `json:"tally"`
		}{written, words, result.Tally})
	}
	for _, text := range words {
		fmt.Fprintf(a.out, "taken     %s\n", visible(text))
	}
	fmt.Fprintf(a.out, "written   %s\n", strings.Join(written, ", "))
	fmt.Fprintf(a.out, "tally     %s read = %s accepted + %s rejected + %s excluded\n", value.Thousands(result.Tally.Read),
		value.Thousands(result.Tally.Accepted), value.Thousands(result.Tally.Rejected),
		value.Thousands(result.Tally.Excluded))
	return nil
}
