package suggest

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"sieb/core/codes"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

// Pairs returns the different values of a column of a delivery, each with the value of another column in the
// first row in which it stands ("" where label is ""), in ascending order: the codes of a list that one makes of
// it.
func Pairs(ctx context.Context, file *source.File, column, label string) (all [][]string, err error) {
	rows, err := file.Rows(ctx)
	if err != nil {
		return nil, err
	}
	defer source.Close(rows)
	header := rows.Header().Names
	place := func(name string) (int, error) {
		for _, same := range []func(string) bool{func(h string) bool { return h == name },
			func(h string) bool { return target.HeaderKey(h) == target.HeaderKey(name) }} {
			if k := slices.IndexFunc(header, same); k >= 0 {
				return k, nil
			}
		}
		return 0, fmt.Errorf("the delivery has no column %q; it has %s", name, strings.Join(header, ", "))
	}
	code, err := place(column)
	if err != nil {
		return nil, err
	}
	means := -1
	if label != "" {
		if means, err = place(label); err != nil {
			return nil, err
		}
	}
	known := map[string]bool{}
	_, err = sift.Look(rows, file.Layout.Encoding, -1, func(seen *sift.ReadRow) error {
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		if code >= len(seen.Cells) || len(seen.Problems) > 0 {
			return nil
		}
		text := strings.TrimSpace(seen.Cells[code])
		if text == "" || known[text] {
			return nil
		}
		if known[text] = true; len(known) > codes.MaxCodes {
			return fmt.Errorf("the column %s has more than %d different values", column, codes.MaxCodes)
		}
		pair := []string{text, ""}
		if means >= 0 && means < len(seen.Cells) {
			pair[1] = strings.TrimSpace(seen.Cells[means])
		}
		all = append(all, pair)
		return nil
	})
	slices.SortFunc(all, func(a, b []string) int { return strings.Compare(a[0], b[0]) })
	return all, err
}
