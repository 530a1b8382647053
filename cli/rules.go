package cli

import (
	"context"
	"time"

	"github.com/spf13/cobra"

	"sieb/core/reference"
	"sieb/core/report"
	"sieb/core/source"
	"sieb/core/target"
)

// rules is the flags that say by which rules a file is sifted.
type rules struct {
	target, mapping, companion, today, memory string
	references, lists                         map[string]string
	workers                                   int

	day      time.Time
	keyBytes int64
}

func (r *rules) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&r.target, "target", "", "file of the target, YAML or JSON")
	cmd.Flags().StringVar(&r.mapping, "mapping", "", "file of the mapping, YAML or JSON; needs --target")
	cmd.Flags().StringToStringVar(&r.references, "reference", nil,
		"NAME=FILE: the file with the rows of a table that the target refers to; may be repeated")
	cmd.Flags().StringToStringVar(&r.lists, "codes", nil,
		"NAME=FILE: the file of a code list that the target names; may be repeated")
	cmd.Flags().StringVar(&r.companion, "companion", "",
		"file that came with the delivery and holds its control values")
	cmd.Flags().StringVar(&r.today, "today", "", "the day on which rules count, as 2026-07-31; by default this day")
	cmd.Flags().StringVar(&r.memory, "key-memory", keyMemory,
		"memory for the keys of the delivery; those that it does not hold go to the disk")
	cmd.Flags().IntVar(&r.workers, "workers", 0, "number of workers; 0 for one per processor")
}

// check tells of values that flags cannot have.
func (r *rules) check() (err error) {
	if r.workers < 0 {
		return usagef("--workers %d: it is 0 or more", r.workers)
	}
	var ok bool
	if r.keyBytes, ok = bytesOf(r.memory); !ok {
		return usagef("--key-memory %q is not %s", r.memory, wantedBytes)
	}
	r.day, err = dayOf(r.today)
	return err
}

// run makes the run of a file by a target, with all that it refers to.
func (r *rules) run(ctx context.Context, file *source.File, t *target.Target) (*report.Run, error) {
	run := &report.Run{Delivery: file, Target: t, Version: Version, Workers: r.workers, Today: r.day,
		KeyMemory: r.keyBytes}
	var err error
	if run.Codes, err = readCodes(ctx, t, r.lists); err != nil {
		return nil, err
	}
	if run.Keys, err = referred(ctx, t, r.references, run.Codes, reference.Room{Memory: r.keyBytes / 2,
		Temporary: file.Temporary}); err != nil {
		return nil, err
	}
	run.Companion, err = readCompanion(t, r.companion)
	return run, err
}
