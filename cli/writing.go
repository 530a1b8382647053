package cli

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"sieb/core/outcome"
	"sieb/core/outcome/written"
	"sieb/core/result"
	"sieb/core/target"
	"sieb/core/value"
)

// writing is the flags that say in which forms accepted rows are written.
type writing struct {
	forms    []string
	settings outcome.Settings // of those forms that have them
}

func (w *writing) add(cmd *cobra.Command) {
	var names []string
	for _, f := range written.Forms {
		names = append(names, f.Name)
	}
	flags := cmd.Flags()
	flags.StringSliceVar(&w.forms, "write", nil, "form in which accepted rows are written: "+strings.Join(names, ", ")+
		"; a run takes several, by default csv, and what the mapping names")
	flags.StringVar((*string)(&w.settings.Header), "write-header", "",
		"over the columns: names, titles or none; not of the form csv, which has names")
	flags.StringVar((*string)(&w.settings.Codes), "write-codes", "",
		"for the codes of a code list: code, label or both; not of the form csv, which has codes")
	flags.StringVar(&w.settings.Delimiter, "write-delimiter", "", "of the form delimited: one character, or tab")
	flags.StringVar(&w.settings.Encoding, "write-encoding", "", "of the form delimited: utf-8, windows-1252, …")
	flags.StringVar(&w.settings.Quoting, "write-quoting", "", "of the form delimited: needed, all or texts")
	flags.StringVar(&w.settings.LineTerminator, "write-line-terminator", "", "of the form delimited: lf or crlf")
	flags.BoolVar(&w.settings.ByteOrderMark, "write-byte-order-mark", false,
		"begin text of the form delimited with a byte order mark")
}

// all returns how the accepted rows of a run are written: as the flags say, or as a mapping does; nil for CSV alone.
func (w *writing) all(m *target.Mapping) ([]outcome.Writing, error) {
	if len(w.forms) == 0 && w.settings == (outcome.Settings{}) {
		return written.Of(m)
	}
	all, err := w.asked()
	if err != nil {
		return nil, err
	}
	writes, err := written.All(all)
	if err != nil {
		return nil, usagef("--write: %s", err)
	}
	return writes, nil
}

// asked returns the settings of the forms that are named.
func (w *writing) asked() (all []outcome.Settings, err error) {
	s := &w.settings
	shaped, dialect := *s, *s
	shaped.Delimiter, shaped.Encoding, shaped.Quoting, shaped.LineTerminator, shaped.ByteOrderMark = "", "", "", "", false
	dialect.Header, dialect.Codes = "", ""
	if len(w.forms) == 0 {
		return nil, usagef("the flags --write-… are for the forms that --write names: add --write FORM")
	}
	isShaped, isDelimited := false, false
	for _, form := range w.forms {
		one := shaped
		switch form {
		case "csv":
			one = outcome.Settings{}
		case "delimited":
			one, isDelimited, isShaped = *s, true, true
		default:
			isShaped = true
		}
		one.Form = form
		all = append(all, one)
	}
	switch {
	case dialect != (outcome.Settings{}) && !isDelimited:
		return nil, usagef("delimiter, encoding, quoting, line terminator and byte order mark are those of the form "+
			"delimited: give --write %s,delimited", strings.Join(w.forms, ","))
	case shaped != (outcome.Settings{}) && !isShaped:
		return nil, usagef("the form csv is always the same: take delimited for another header, or for labels")
	}
	return all, nil
}

// writeRows writes rows of a run of the service in a form.
func (a *app) writeRows() *cobra.Command {
	var write writing
	var out string
	var ask result.Ask
	cmd := &cobra.Command{
		Use: "write RUN --write FORM --out FILE", Short: "Writes rows of a run in a form",
		Long: `Writes rows of a run that is done to a file: as CSV, or typed and with nulls as Parquet,
JSON Lines or a workbook, or as text in a dialect that a receiver wants. All accepted rows
are written, or those that --side and --where find, with all columns or those of --columns, as
with sieb rows.`,
		Example: `  sieb runs write r7 --write parquet --out tickets.parquet
  sieb runs write r7 --write jsonl --where 'crop equals wheat' --out wheat.jsonl
  sieb runs write r7 --write delimited --write-delimiter ";" --write-codes both --out tickets.csv`,
		Args: one("run"),
		RunE: func(cmd *cobra.Command, args []string) error {
			all, err := write.asked()
			switch {
			case err != nil:
				return err
			case len(all) != 1:
				return usagef("a file holds one form: --write names %d", len(all))
			case ask.Against != "" && ask.Kind == "":
				return usagef("--against compares rows; --kind says which of them are written: new, gone, changed or moved")
			case out == "":
				return usagef("where to? --out names a file")
			}
			if err := checkAsk(&ask); err != nil {
				return err
			}
			rows, err := connect(cmd).WrittenRows(cmd.Context(), args[0], ask, all[0])
			if err != nil {
				return err
			}
			defer rows.Close()
			var size int64
			if err := writeFile(out, nil, func(w *bufio.Writer) (err error) {
				size, err = io.Copy(w, rows)
				return err
			}); err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(map[string]any{"written": out, "bytes": size})
			}
			fmt.Fprintf(a.out, "written: %s, %s\n", out, value.Count(size, "byte", "bytes"))
			return nil
		},
	}
	write.add(cmd)
	cmd.Flags().StringVar(&out, "out", "", "file to write")
	addAsk(cmd.Flags(), &ask)
	addColumns(cmd.Flags(), &ask)
	return cmd
}
