package main

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"sieb/demo"
)

// rules are the targets that a delivery is sifted by, as files: each column has a rule, and the
// key is one of them.
type rules struct {
	sieb, mapping, register, dir string

	plain    string // no more than that
	rules    string // and two row rules, a derived column, a reference
	remedies string // and five remedies on every column
	strict   string // by which no cell of a spoilt delivery is right
}

// between is what a target demands of several columns together.
const between = `rowRules:
  - {name: net is gross less tare, condition: net_kg == gross_kg - tare_kg}
  - {name: gross is above tare, condition: gross_kg > tare_kg}
foreignKeys:
  - {columnReference: grower_no, reference: {resource: growers}}
`

// rules writes the targets.
func (b *bench) rules() (*rules, error) {
	r := &rules{sieb: b.sieb, dir: b.dir}
	text, err := demo.Target("weighbridge_tickets")
	if err != nil {
		return nil, err
	}
	columns, _, _ := strings.Cut(string(text), "rowRules:")
	head, list, _ := strings.Cut(columns, "columns:\n")
	each := func(change func(string) string) string {
		var all strings.Builder
		all.WriteString(head + "columns:\n")
		for line := range strings.Lines(list) {
			if strings.HasPrefix(line, "  - {") {
				line = change(line)
			}
			all.WriteString(line)
		}
		return all.String()
	}
	put := func(name, text string) (path string) {
		path = filepath.Join(b.dir, name)
		if err == nil {
			err = os.WriteFile(path, []byte(text), 0o644)
		}
		return path
	}
	r.plain = put("plain.yaml", columns)
	r.rules = put("rules.yaml", strings.Replace(columns, "key:",
		"  - {name: load, derive: crop + \" \" + variety}\nkey:", 1)+between)
	r.remedies = put("remedies.yaml", each(func(line string) string {
		return strings.Replace(line, "}\n", ", remedies: [trim, squeeze, clean, normalize, repair]}\n", 1)
	}))
	r.strict = put("strict.yaml", each(func(line string) string {
		line = strings.NewReplacer("minLength: 3", "minLength: 60", "maxLength: 40", "maxLength: 99").Replace(line)
		return strings.NewReplacer("maxLength: 20", "minLength: 60", "maxLength: 120", "minLength: 60").Replace(line)
	}))
	habits, herr := demo.Mapping("brunnthal")
	register, gerr := demo.Delivery("growers-2026.ods")
	r.mapping, r.register = put("mapping.yaml", string(habits)), put("growers.ods", string(register))
	return r, errors.Join(err, herr, gerr)
}

// run is a sifting with all outputs.
func (r *rules) run(name, path, target string) contender {
	out := filepath.Join(r.dir, "out")
	args := []string{r.sieb, "sift", path, "--target", target, "--out", out, "--format", "json"}
	if target != r.remedies {
		args = append(args, "--mapping", r.mapping)
	}
	if target == r.rules {
		args = append(args, "--reference", "growers="+r.register)
	}
	return contender{name: name, args: args, also: 3, out: out}
}

// quoted writes the delivery with quotes around every cell.
func (b *bench) quoted(csv string) (string, error) {
	return b.write("tickets-quoted.csv", func(w io.Writer) error {
		return eachRow(csv, func(cells []string) error {
			for i, cell := range cells {
				cells[i] = `"` + strings.ReplaceAll(cell, `"`, `""`) + `"`
			}
			_, err := fmt.Fprintln(w, strings.Join(cells, ","))
			return err
		})
	})
}

// spoilt writes the first bytes of the delivery twice: as they are, and with every cell below the
// header wrong.
func (b *bench) spoilt(path string, size int64) (clean, wrong string, err error) {
	clean, err = b.write("tickets-clean.csv", func(w io.Writer) error {
		written, out := int64(0), csv.NewWriter(w)
		err := eachRow(path, func(cells []string) error {
			for _, cell := range cells {
				written += int64(len(cell)) + 1
			}
			if written > size {
				return io.EOF
			}
			return out.Write(cells)
		})
		out.Flush()
		return err
	})
	if err != nil {
		return "", "", err
	}
	header := true
	wrong, err = b.write("tickets-wrong.csv", func(w io.Writer) error {
		out := csv.NewWriter(w)
		err := eachRow(clean, func(cells []string) error {
			for i := range cells {
				if !header {
					cells[i] = "#" + cells[i]
				}
			}
			header = false
			return out.Write(cells)
		})
		out.Flush()
		return err
	})
	return clean, wrong, err
}

// eachRow reads a delivery; io.EOF of do ends it.
func eachRow(path string, do func(cells []string) error) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	for r := csv.NewReader(f); ; {
		cells, err := r.Read()
		if err == nil {
			err = do(cells)
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}
