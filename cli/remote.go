package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"sieb/client"
	"sieb/core/sift"
	"sieb/core/value"
	"sieb/service/api"
)

// remote makes a command whose subcommands talk to a running service.
func (a *app) remote(use, short string, subs ...*cobra.Command) *cobra.Command {
	cmd := &cobra.Command{Use: use, Short: short, Args: func(cmd *cobra.Command, args []string) error {
		if len(args) > 0 {
			return usagef("%s has no command %q", cmd.CommandPath(), args[0])
		}
		return nil
	}, RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() }}
	addService(cmd.PersistentFlags())
	cmd.AddCommand(subs...)
	return cmd
}

func addService(flags *pflag.FlagSet) {
	address := os.Getenv("SIEB_SERVICE")
	if address == "" {
		address = "http://" + defaultListen
	}
	flags.String("service", address, "address of the service (SIEB_SERVICE); if it requires a token, set SIEB_TOKEN")
}

func connect(cmd *cobra.Command) *client.Client {
	address, _ := cmd.Flags().GetString("service")
	if !strings.Contains(address, "://") {
		address = "http://" + address
	}
	return client.New(address, os.Getenv("SIEB_TOKEN"))
}

// one demands exactly one argument.
func one(what string) cobra.PositionalArgs {
	return func(_ *cobra.Command, args []string) error {
		if len(args) != 1 {
			return usagef("name one %s; %d were named", what, len(args))
		}
		return nil
	}
}

// pageFlags are the flags of every list.
type pageFlags struct{ offset, limit int }

func (p *pageFlags) add(cmd *cobra.Command) {
	cmd.Flags().IntVar(&p.offset, "offset", 0, "number of entries to skip")
	cmd.Flags().IntVar(&p.limit, "limit", 50, "number of entries to show, at most 1000")
}

func (a *app) more(p pageFlags, shown, total int) {
	if rest := total - p.offset - shown; rest > 0 {
		fmt.Fprintf(a.out, "%s of %s; --offset %d shows the next\n", value.Thousands(int64(shown)),
			value.Thousands(int64(total)),
			p.offset+shown)
	}
}

// list makes the command that lists one kind of object: a page of them as
// fetch gives it, each as a row of the columns, or a word where there is none.
func list[T any](a *app, short, none string, columns []columnOf, fetch func(cmd *cobra.Command,
	p pageFlags) (api.Page[T], error), row func(T) []string) *cobra.Command {
	var pages pageFlags
	cmd := &cobra.Command{Use: "list", Short: short, Args: cobra.NoArgs, RunE: func(cmd *cobra.Command,
		_ []string) error {
		p, err := fetch(cmd, pages)
		if err != nil {
			return err
		}
		if a.format == "json" {
			return a.json(p)
		}
		if p.Total == 0 {
			fmt.Fprintln(a.out, none)
			return nil
		}
		rows := make([][]string, len(p.Items))
		for i, item := range p.Items {
			rows[i] = row(item)
		}
		a.table(columns, rows)
		a.more(pages, len(p.Items), p.Total)
		return nil
	}}
	pages.add(cmd)
	return cmd
}

const dateTime = "2006-01-02 15:04:05"

func (a *app) deliveries() *cobra.Command {
	var order api.NewRun
	add := &cobra.Command{
		Use: "add FILE", Short: "Uploads a file to the service", Args: oneFile,
		Example: `  sieb deliveries add weighbridge-ahrensee-2026-07.csv
  sieb deliveries add weighbridge-ahrensee-2026-07.csv --mapping ahrensee`,
		RunE: func(cmd *cobra.Command, args []string) error {
			f, err := os.Open(args[0])
			if err != nil {
				return fmt.Errorf("%s cannot be opened: %w", args[0], err)
			}
			defer f.Close()
			info, err := f.Stat()
			if err != nil {
				return err
			}
			if info.IsDir() {
				return fmt.Errorf("%s is a folder; name one file in it", args[0])
			}
			set, done := a.progress("sending", info.Size())
			d, err := connect(cmd).AddDelivery(cmd.Context(), filepath.Base(args[0]), &counted{f, set, 0})
			done()
			if err != nil {
				return err
			}
			if order.Target != "" || order.Mapping != "" {
				order.Delivery = d.ID
				return a.startAndFollow(cmd, order)
			}
			return a.showDelivery(d)
		},
	}
	add.Flags().StringVar(&order.Target, "run", "", "target to sift the delivery through at once")
	add.Flags().StringVar(&order.Mapping, "mapping", "", "mapping to sift the delivery by at once")
	var find, state string
	all := list(a, "Lists the deliveries, newest first",
		"nothing has arrived yet; sieb deliveries add FILE uploads a file to the service",
		[]columnOf{{title: "delivery"}, {title: "arrived"}, {title: "name", most: 44}, {title: "size", number: true},
			{title: "state"}, {title: "accepted", number: true}, {title: "rejected", number: true}},
		func(cmd *cobra.Command, p pageFlags) (api.Page[api.Delivery], error) {
			return connect(cmd).Deliveries(cmd.Context(), find, state, p.offset, p.limit)
		},
		func(d api.Delivery) []string {
			row := []string{d.ID, d.ArrivedAt.Local().Format(dateTime), d.Name, size(d.Bytes), d.State, "", ""}
			if d.Run != nil && d.Run.Tally != nil {
				row[5], row[6] = value.Thousands(d.Run.Tally.Accepted), value.Thousands(d.Run.Tally.Rejected)
			}
			return row
		})
	all.Flags().StringVar(&find, "find", "", "only those with this text in their name or note")
	all.Flags().StringVar(&state, "state", "",
		"only those in this state: arrived, waiting, running, accepted, split, refused, failed or cancelled")
	show := &cobra.Command{
		Use: "show DELIVERY", Short: "Shows one delivery", Args: one("delivery"),
		RunE: func(cmd *cobra.Command, args []string) error {
			d, err := connect(cmd).Delivery(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.showDelivery(d)
		},
	}
	return a.remote("deliveries", "Files that have arrived", add, all, show,
		a.describeDelivery("rename DELIVERY NAME", "Gives a delivery another name",
			func(text *string) api.NewWords { return api.NewWords{Name: text} }),
		a.describeDelivery("note DELIVERY TEXT", "Adds a note to a delivery; an empty note removes it",
			func(text *string) api.NewWords { return api.NewWords{Note: text} }),
		a.deleteDelivery(), a.deletions())
}

// describeDelivery makes a command that changes what is said of a delivery.
func (a *app) describeDelivery(use, short string, words func(*string) api.NewWords) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 2 {
				return usagef("name a delivery and one text, in quotes where it holds blanks; %d arguments were given",
					len(args))
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			d, err := connect(cmd).Describe(cmd.Context(), args[0], words(&args[1]))
			if err != nil {
				return err
			}
			return a.showDelivery(d)
		},
	}
}

func (a *app) deleteDelivery() *cobra.Command {
	var sure bool
	cmd := &cobra.Command{
		Use: "delete DELIVERY", Short: "Deletes a delivery with its runs, profiles and drafts", Args: one("delivery"),
		Long: `Deletes a delivery with its bytes, runs, outputs, profiles and drafts. Work under
way for it is cancelled first. That it was deleted is recorded: see sieb deliveries
deleted. Nothing brings it back but to hand the file in again.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			c := connect(cmd)
			d, err := c.Delivery(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if !sure {
				return usagef("%s (%s, arrived %s) would be deleted with all that belongs to it; --yes does it",
					d.Name, size(d.Bytes), d.ArrivedAt.Local().Format(dateTime))
			}
			if err := c.DeleteDelivery(cmd.Context(), d.ID); err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(d)
			}
			fmt.Fprintf(a.out, "deleted: %s\n", d.Name)
			return nil
		},
	}
	cmd.Flags().BoolVar(&sure, "yes", false, "delete without asking")
	return cmd
}

func (a *app) deletions() *cobra.Command {
	cmd := list(a, "Lists the deliveries that were deleted, the last first", "nothing was deleted",
		[]columnOf{{title: "delivery"}, {title: "deleted"}, {title: "arrived"}, {title: "name", most: 44},
			{title: "size", number: true}},
		func(cmd *cobra.Command, p pageFlags) (api.Page[api.Deletion], error) {
			return connect(cmd).Deletions(cmd.Context(), p.offset, p.limit)
		},
		func(d api.Deletion) []string {
			return []string{d.ID, d.DeletedAt.Local().Format(dateTime), d.ArrivedAt.Local().Format(dateTime), d.Name,
				size(d.Bytes)}
		})
	cmd.Use = "deleted"
	return cmd
}

// counted tells how much of a reader has been read.
type counted struct {
	io.Reader
	set func(int64)
	n   int64
}

func (c *counted) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.n += int64(n)
	c.set(c.n)
	return n, err
}

// standing says in words how a run stands that does not decide its delivery's state.
func standing(r *api.RunHead) string {
	with := "without a target"
	if r.Target != nil {
		with = "with " + r.Target.Name
		if r.Mapping != nil {
			with += " and " + r.Mapping.Name
		}
	}
	return r.State + ", " + with
}

func (a *app) showDelivery(d api.Delivery) error {
	if a.format == "json" {
		return a.json(d)
	}
	fmt.Fprintf(a.out, "delivery  %s\nname      %s\nsize      %s\nsha256    %s\narrived   %s\nstate     %s\n",
		d.ID, d.Name, size(d.Bytes), d.SHA256, d.ArrivedAt.Local().Format(dateTime), d.State)
	if d.ArrivedAs != "" {
		fmt.Fprintf(a.out, "arrived as %s\n", d.ArrivedAs)
	}
	if d.Note != "" {
		fmt.Fprintf(a.out, "note      %s\n", d.Note)
	}
	if d.Refusal != "" {
		fmt.Fprintf(a.out, "refused   %s\n", d.Refusal)
		return nil
	}
	if d.RepeatOf != "" {
		fmt.Fprintf(a.out, "repeat    of delivery %s: the same bytes have arrived before\n", d.RepeatOf)
	}
	if d.Run != nil {
		fmt.Fprintf(a.out, "run       %s\n", d.Run.ID)
	}
	if n := d.Newest; n != nil {
		fmt.Fprintf(a.out, "newest    %s, %s\n", n.ID, standing(n))
	}
	if d.Run == nil {
		fmt.Fprintf(a.out, "next      sieb runs start %s --target NAME, or --mapping NAME\n", d.ID)
	}
	return nil
}

func (a *app) runs() *cobra.Command {
	var order api.NewRun
	start := &cobra.Command{
		Use: "start DELIVERY", Short: "Sifts a delivery and shows the result", Args: one("delivery"),
	}
	flags := addLayoutFlags(start)
	start.Flags().StringVar(&order.Target, "target", "",
		"name of the target; without one every row that reads cleanly is accepted")
	start.Flags().IntVar(&order.TargetVersion, "target-version", 0, "version of the target; 0 for the newest")
	start.Flags().StringVar(&order.Mapping, "mapping", "",
		"name of the mapping; without --target its own target is taken")
	start.Flags().IntVar(&order.MappingVersion, "mapping-version", 0, "version of the mapping; 0 for the newest")
	start.Flags().StringToStringVar(&order.References, "reference", nil,
		"NAME=RUN: the run whose accepted rows a resource of the target means; by default the newest; may be repeated")
	start.Flags().StringVar(&order.Companion, "companion", "",
		"the delivery that came with this one and holds its control values")
	start.Flags().BoolVar(&order.SHA256, "sha256", false,
		"add the outputs' SHA-256 to the manifest, beside BLAKE3; the run takes longer")
	start.RunE = func(cmd *cobra.Command, args []string) error {
		given, err := flags.given()
		if err != nil {
			return err
		}
		order.Delivery, order.Layout = args[0], &given
		return a.startAndFollow(cmd, order)
	}
	var delivery string
	all := list(a, "Lists the runs, newest first",
		"nothing has been run yet; sieb runs start DELIVERY --target NAME runs a delivery",
		[]columnOf{{title: "run"}, {title: "started"}, {title: "target; mapping", most: 50}, {title: "state"},
			{title: "verdict"}, {title: "accepted", number: true}, {title: "rejected", number: true}},
		func(cmd *cobra.Command, p pageFlags) (api.Page[api.RunHead], error) {
			return connect(cmd).Runs(cmd.Context(), delivery, p.offset, p.limit)
		},
		func(r api.RunHead) []string {
			row := []string{r.ID, r.CreatedAt.Local().Format(dateTime), "", r.State, r.Verdict, "", ""}
			if r.Target != nil {
				row[2] = fmt.Sprintf("%s, version %d", r.Target.Name, r.Target.Version)
				if r.Mapping != nil {
					row[2] += fmt.Sprintf("; %s, version %d", r.Mapping.Name, r.Mapping.Version)
				}
			}
			if r.Tally != nil {
				row[5], row[6] = value.Thousands(r.Tally.Accepted), value.Thousands(r.Tally.Rejected)
			}
			return row
		})
	all.Flags().StringVar(&delivery, "delivery", "", "only runs of this delivery")
	var changes bool
	show := &cobra.Command{
		Use: "show RUN", Short: "Shows a run and its result", Args: one("run"),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := connect(cmd).Run(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if err := a.showRun(r); err != nil || !changes || a.format == "json" {
				return err
			}
			a.showChanges(r.Remedies)
			return nil
		},
	}
	show.Flags().BoolVar(&changes, "changes", false,
		"show how each remedy changed cells: before, after, and in how many")
	cancel := &cobra.Command{
		Use: "cancel RUN", Short: "Stops a run", Args: one("run"),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := connect(cmd).CancelRun(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.showRun(r)
		},
	}
	return a.remote("runs", "Runs of deliveries through targets", start, all, show, cancel, a.compareRuns(), a.writeRows())
}

func (a *app) startAndFollow(cmd *cobra.Command, order api.NewRun) error {
	c := connect(cmd)
	r, err := c.StartRun(cmd.Context(), order)
	if err != nil {
		return err
	}
	set, done := a.progress("sifting", r.Progress.TotalBytes)
	r, err = c.Follow(cmd.Context(), r.ID, func(r api.Run) { set(r.Progress.Bytes) })
	done()
	if err != nil {
		return err
	}
	if err := a.showRun(r); err != nil {
		return err
	}
	if r.State != "done" {
		return exit(exitFailed)
	}
	return verdictCode(sift.Verdict(r.Verdict))
}

func (a *app) showRun(r api.Run) error {
	if a.format == "json" {
		return a.json(r)
	}
	fmt.Fprintf(a.out, "run       %s\ndelivery  %s\n", r.ID, r.Delivery)
	if r.Target != nil {
		fmt.Fprintf(a.out, "target    %s, version %d\n", r.Target.Name, r.Target.Version)
	} else {
		fmt.Fprintln(a.out, "target    none: every row that reads cleanly is accepted")
	}
	if r.Mapping != nil {
		fmt.Fprintf(a.out, "mapping   %s, version %d\n", r.Mapping.Name, r.Mapping.Version)
	}
	if r.ReadAs != nil {
		fmt.Fprintf(a.out, "read as   %s\n", describe(*r.ReadAs))
	}
	if r.State != "done" {
		fmt.Fprintf(a.out, "state     %s\n", r.State)
		if r.State == "running" && r.Progress.TotalBytes > 0 {
			fmt.Fprintf(a.out, "progress  %d %%, %s rows\n", 100*r.Progress.Bytes/r.Progress.TotalBytes,
				value.Thousands(r.Progress.Rows))
		}
		if r.Error != "" {
			fmt.Fprintf(a.out, "why       %s\n", r.Error)
		}
		return nil
	}
	a.showResult(&sift.Result{Verdict: sift.Verdict(r.Verdict), Refusal: r.Refusal, Tally: *r.Tally,
		Violations: r.Violations, Remedies: r.Remedies, Excluded: r.Excluded, LeftOut: r.LeftOut, Unjudged: r.Unjudged,
		BlankLines: r.BlankLines, Tolerance: r.Tolerance, References: r.References}, r.Unfit)
	return nil
}
