package main

import (
	"bufio"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
)

// loadingsTarget demands what quick tests of the other delivery's columns do not know: a pattern of fixed length, texts
// with a least length, names that are trimmed and squeezed, decimals.
const loadingsTarget = `target: loadings
columns:
  - {name: loading_no, format: 'WB-[0-9]{8}', required: true, unique: true}
  - {name: loaded_at, datatype: dateTime, required: true}
  - {name: carrier_id, minLength: 6, maxLength: 12, required: true}
  - {name: vehicle_id, minLength: 4, maxLength: 10}
  - {name: driver, remedies: [trim, squeeze], maxLength: 60, required: true}
  - {name: grower, remedies: [trim, squeeze], maxLength: 60}
  - {name: site, oneOf: [Ahrensee, Brunnthal, Colmitz, Dornau, Elmenau]}
  - {name: crop, maxLength: 20}
  - {name: gross_kg, datatype: integer, minimum: 0, maximum: 60000}
  - {name: net_kg, datatype: integer, minimum: 0, maximum: 60000}
  - {name: moisture_pct, datatype: decimal, precision: 4, scale: 1}
  - {name: protein_pct, datatype: decimal, precision: 5, scale: 2, minimum: 0, maximum: 30}
  - {name: price, datatype: decimal, precision: 12, scale: 4}
  - {name: organic, datatype: boolean}
  - {name: document_id, minLength: 8, maxLength: 36}
  - {name: remarks, maxLength: 200}
key: [loading_no]
`

// loadings makes a delivery of another make than the tickets, of so many bytes, and the target that it is meant for:
// plain, or with quotes around every cell.
func (b *bench) loadings(quoted bool) (path, target string, err error) {
	random := rand.New(rand.NewPCG(7, 7))
	names := make([]string, 20_000)
	for i := range names {
		names[i] = fmt.Sprintf("%s %s", syllables(random, 2), syllables(random, 3))
	}
	sites := []string{"Ahrensee", "Brunnthal", "Colmitz", "Dornau", "Elmenau"}
	crops := []string{"wheat", "barley", "rye", "oats", "maize"}
	remarks := []string{"", "", "", "dry", "second sample taken", `checked "by hand", see sheet`,
		"wet, dried for two days", "as ordered"}
	header := "loading_no,loaded_at,carrier_id,vehicle_id,driver,grower,site,crop,gross_kg,net_kg,moisture_pct," +
		"protein_pct,price,organic,document_id,remarks"
	name := "loadings.csv"
	if quoted {
		name = "loadings-quoted.csv"
	}
	path, err = b.write(name, func(w io.Writer) error {
		out := bufio.NewWriterSize(w, 1<<16)
		written := int64(len(header)) + 1
		fmt.Fprintln(out, header)
		var row []byte
		for n := 0; written < b.size; n++ {
			row = row[:0]
			cell := func(text string) {
				if len(row) > 0 {
					row = append(row, ',')
				}
				row = appendCell(row, text, quoted)
			}
			gross := 9000 + random.IntN(31000)
			cell(fmt.Sprintf("WB-%08d", n))
			cell(fmt.Sprintf("2026-%02d-%02dT%02d:%02d:%02d", 1+n%12, 1+n%28, n%24, n%60, (n*7)%60))
			cell(fmt.Sprintf("C%06d", random.IntN(4000)))
			cell(fmt.Sprintf("V-%04d", random.IntN(9000)))
			cell(names[random.IntN(len(names))])
			cell(names[random.IntN(len(names))])
			cell(sites[random.IntN(len(sites))])
			cell(crops[random.IntN(len(crops))])
			cell(fmt.Sprint(gross))
			cell(fmt.Sprint(gross - 4000 - random.IntN(4000)))
			cell(fmt.Sprintf("%.1f", 9+random.Float64()*12))
			cell(fmt.Sprintf("%.2f", 8+random.Float64()*8))
			cell(fmt.Sprintf("%.4f", random.Float64()*9000))
			cell(fmt.Sprint(n%3 == 0))
			cell(fmt.Sprintf("%016x", random.Uint64()))
			cell(remarks[random.IntN(len(remarks))])
			row = append(row, '\n')
			written += int64(len(row))
			if _, err := out.Write(row); err != nil {
				return err
			}
		}
		return out.Flush()
	})
	if err != nil {
		return "", "", err
	}
	target = filepath.Join(b.dir, "loadings.yaml")
	return path, target, os.WriteFile(target, []byte(loadingsTarget), 0o644)
}

// appendCell appends a cell as RFC 4180 has it, with quotes where they are needed, or always.
func appendCell(row []byte, text string, always bool) []byte {
	needs := always
	for i := range len(text) {
		needs = needs || text[i] == ',' || text[i] == '"'
	}
	if !needs {
		return append(row, text...)
	}
	row = append(row, '"')
	for i := range len(text) {
		if text[i] == '"' {
			row = append(row, '"')
		}
		row = append(row, text[i])
	}
	return append(row, '"')
}

// syllables makes a name.
func syllables(random *rand.Rand, n int) string {
	name := ""
	for range n {
		name += []string{"ber", "lin", "hof", "mar", "sto", "wei", "kal", "dor", "au", "neu", "tal", "feld"}[random.IntN(12)]
	}
	return string(name[0]-'a'+'A') + name[1:]
}

// loadingsPart measures the other delivery, plain and with every cell quoted.
func (b *bench) loadingsPart() error {
	for _, quoted := range []bool{false, true} {
		path, target, err := b.loadings(quoted)
		if err != nil {
			return err
		}
		what, goals := "loadings", [2]string{"at most 0.7 on two cores", "at most 1.0 on two cores"}
		if quoted {
			what, goals[0] = "loadings, every cell quoted", "at most 1.0 on two cores"
		}
		out := filepath.Join(b.dir, "out")
		sift := contender{name: "sift, " + what, out: out,
			args: []string{b.sieb, "sift", path, "--target", target, "--out", out, "--format", "json"}}
		all := []contender{b.yard("encoding/csv loop", "csv", path), sift}
		if !quoted {
			one := sift
			one.name, one.args = "the same, one worker", append(one.args[:len(one.args):len(one.args)], "--workers", "1")
			all = append(all, one, contender{name: "profile, " + what,
				args: []string{b.sieb, "profile", path, "--format", "json"}})
		}
		took, err := b.race(all...)
		if err != nil {
			return err
		}
		tell("sift of "+what+" / encoding/csv loop", took[1], goals[0])
		if !quoted {
			tell("the same with one worker beside the reader and the writer", took[2], "none, shown beside")
			tell("profile of "+what+" / encoding/csv loop", took[3], goals[1])
		}
		fmt.Printf("sift of %s, peak resident: %d MiB; goal at most 256 MiB with the key set\n", what, took[1].peak>>20)
		if err := os.Remove(path); err != nil {
			return err
		}
	}
	return nil
}
