package report

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/zeebo/blake3"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/csv"
	"sieb/core/reference"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/spill"
	"sieb/core/suggest"
	"sieb/core/target"
)

// Run is a delivery that is to be sifted into files.
type Run struct {
	Delivery       *source.File
	Name           string         // of the delivery; "" takes the file's
	SHA256         string         // of the delivery, where it is known; it is not computed again
	Target         *target.Target // nil: every row that reads cleanly is accepted
	TargetVersion  int            // 0 where the target has none; of the mapping alike
	MappingVersion int
	Codes          []*codes.List     // that the target's columns refer to
	CodesVersions  map[string]int    // of the lists, by name; none where they have none
	Keys           []*reference.Keys // of what the target refers to, in the order of its Constraints
	Companion      *check.Companion  // the file with control values that came with the delivery; nil for none
	RepeatOf       string            // the earlier delivery of the same bytes, in words; "" for none
	Today          time.Time         // the day of the run, on which rules may depend; zero for the present one
	Dir            string            // where the files go; "" writes none
	Write          []outcome.Writing // how accepted rows are written; none for CSV alone
	Also           []*outcome.Output // beside the files; committed with them, and proved by the manifest
	Version        string            // of the program, for the manifest
	Workers        int
	KeyMemory      int64 // bytes that keys may take in memory; 0 for sift.DefaultKeyMemory
	Guard          bool  // rejected rows and violations against spreadsheets that would take cells for formulas
	SHA256Outputs  bool  // of the outputs as well, which costs more than BLAKE3
	Progress       func(sift.Progress)
}

// Summary is a run's result and where its files are.
type Summary struct {
	*sift.Result
	Unfit   []suggest.Unfit `json:"unfit,omitempty" doc:"columns of which no value fits, with what would"`
	Outputs *Outputs        `json:"outputs,omitempty"`
}

// Outputs are the paths of a run's files.
type Outputs struct {
	Accepted   string   `json:"accepted" doc:"accepted.csv, or, where it was not asked for, the first form that was"`
	Also       []string `json:"also,omitempty" doc:"the accepted rows in other forms"`
	Rejected   string   `json:"rejected"`
	Excluded   string   `json:"excluded"`
	Violations string   `json:"violations"`
	Manifest   string   `json:"manifest"`
}

// Manifest is the proof of a run. It holds no times: the same delivery, layout
// and target give the same manifest, byte for byte. Hashes are BLAKE3 with 256
// bits ("BLAKE3: one function, fast everywhere", 2020).
type Manifest struct {
	Sieb       string             `json:"sieb" doc:"version of the program"`
	Delivery   DeliveryProof      `json:"delivery"`
	Layout     layout.Layout      `json:"layout"`
	Target     *TextProof         `json:"target"`
	Mapping    *TextProof         `json:"mapping,omitempty"`
	Companion  *TextProof         `json:"companion,omitempty" doc:"the file with control values that came with the delivery"`
	RepeatOf   string             `json:"repeatOf,omitempty" doc:"the earlier delivery of the same bytes"`
	Codes      []TextProof        `json:"codes,omitempty" doc:"the code lists that columns refer to"`
	Today      string             `json:"today,omitempty" doc:"the day of the run, where rules depend on it"`
	References []reference.State  `json:"references,omitempty"`
	Verdict    sift.Verdict       `json:"verdict"`
	Refusal    string             `json:"refusal,omitempty"`
	Tally      sift.Tally         `json:"tally"`
	Excluded   []sift.Excluded    `json:"excluded,omitempty"`
	Violations []sift.Counted     `json:"violations"`
	Remedies   []sift.Remedy      `json:"remedies"`
	Write      []outcome.Settings `json:"write,omitempty" doc:"how accepted rows are written; absent for CSV alone"`
	Columns    []ColumnProof      `json:"columns" doc:"of the accepted rows"`
	Outputs    []outcome.Proof    `json:"outputs"`
	Guarded    bool               `json:"guarded,omitempty" doc:"an apostrophe stands before cells of rejected rows and violations that a spreadsheet would take for formulas"`
}

// DeliveryProof identifies the bytes that were sifted.
type DeliveryProof struct {
	Name    string `json:"name"`
	Bytes   int64  `json:"bytes"`
	Packing string `json:"packing,omitempty" doc:"gzip, zip or zstd"`
	BLAKE3  string `json:"blake3"`
	SHA256  string `json:"sha256,omitempty"`
}

// ColumnProof says what the values of a column of the accepted rows are.
type ColumnProof struct {
	Name      string `json:"name"`
	Datatype  string `json:"datatype" doc:"in CSVW's words; a text where values of another datatype are only flagged"`
	Separator string `json:"separator,omitempty" doc:"between the values of a list"`
}

// TextProof identifies the text of a target, a mapping or a code list.
type TextProof struct {
	Name    string `json:"name"`
	Version int    `json:"version,omitempty"`
	SHA256  string `json:"sha256" doc:"of its text"`
}

// Do sifts the delivery. Where it fails or ctx ends, the files of an earlier
// run in the folder stay as they are and nothing new is left behind.
func (r *Run) Do(ctx context.Context) (*Summary, error) {
	var out *folder
	var outputs []*outcome.Output
	var index *indexing
	var proof *blake3.Hasher
	var copies []io.Writer
	if r.Dir != "" {
		var err error
		if out, err = create(r.Dir, r.Delivery); err != nil {
			return nil, err
		}
		defer out.close()
		out.sha256 = r.SHA256Outputs
		outputs = append(r.outputs(out), r.Also...)
		for _, o := range outputs {
			defer o.To.Abort()
		}
		index = newIndexing(out, outputs)
		defer index.file.Abort()
		if err := index.file.Begin(ctx, nil); err != nil {
			return nil, err
		}
		proof = blake3.New()
		copies = append(copies, proof)
	}
	rows, err := r.Delivery.Rows(ctx, copies...)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.name(), err)
	}
	defer source.Close(rows)
	run := r.sifting(rows)
	run.Outputs = outputs
	if index != nil {
		run.Noting = index
	}
	result, err := run.Do(ctx)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.name(), err)
	}
	summary := &Summary{Result: result}
	if r.Target != nil {
		if summary.Unfit, err = suggest.UnfitColumns(ctx, r.Delivery, r.Target, r.Codes, result); err != nil {
			return nil, fmt.Errorf("%s: %w", r.name(), err)
		}
	}
	if r.Dir == "" {
		return summary, nil
	}
	var written []outcome.Proof
	var prepared []outcome.Destination
	for _, o := range outputs {
		prepared = append(prepared, o.To)
		p, err := o.To.Prepare()
		if err != nil {
			return nil, err
		}
		written = append(written, p)
	}
	if err := index.end(written); err != nil {
		return nil, err
	}
	m := r.manifest(result, written)
	for _, c := range outputs[0].Table().Schema.Columns { // that of accepted rows
		m.Columns = append(m.Columns, ColumnProof{c.Name, c.Datatype.String(), c.Separator})
	}
	if _, m.Delivery.Bytes, err = r.Delivery.Delivered(); err != nil {
		return nil, err
	}
	m.Delivery.BLAKE3 = hex.EncodeToString(proof.Sum(nil))
	text, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return nil, err
	}
	if err := out.commit(ctx, append(prepared, index.file), written, append(text, '\n')); err != nil {
		return nil, err
	}
	in := func(name string) string { return filepath.Join(r.Dir, name) }
	summary.Outputs = &Outputs{Rejected: in(RejectedName), Excluded: in(ExcludedName), Violations: in(ViolationsName),
		Manifest: in(ManifestName)}
	for i, w := range r.writes() {
		if i == 0 {
			summary.Outputs.Accepted = in(w.File)
		} else {
			summary.Outputs.Also = append(summary.Outputs.Also, in(w.File))
		}
	}
	return summary, nil
}

// writes returns how accepted rows are written.
func (r *Run) writes() []outcome.Writing {
	if len(r.Write) > 0 {
		return r.Write
	}
	return []outcome.Writing{{File: AcceptedName, Form: csv.Form{}}}
}

// outputs returns which outputs the run has.
func (r *Run) outputs(to *folder) []*outcome.Output {
	var all []*outcome.Output
	for _, w := range r.writes() {
		all = append(all, &outcome.Output{Side: outcome.Accepted, Shape: w.Settings.Shape(), Form: w.Form,
			To: to.file(w.File)})
	}
	shown := csv.Form{Guard: r.Guard}
	return append(all, &outcome.Output{Side: outcome.Rejected, Form: shown, To: to.file(RejectedName)},
		&outcome.Output{Side: outcome.Excluded, Form: shown, To: to.file(ExcludedName)},
		&outcome.Output{Side: outcome.Violations, Form: shown, To: to.file(ViolationsName)})
}

func (r *Run) sifting(rows source.Source) sift.Run {
	return sift.Run{Source: rows, Encoding: r.Delivery.Layout.Encoding, Size: r.Delivery.Size, Target: r.Target,
		Name: r.name(), Today: r.today(), RepeatOf: r.RepeatOf, Companion: r.Companion, Codes: r.Codes, Keys: r.Keys,
		Workers: r.Workers, Progress: r.Progress,
		Again:     func(ctx context.Context) (source.Source, error) { return r.Delivery.Rows(ctx) },
		Temporary: r.temporary, KeyMemory: r.KeyMemory}
}

// temporary makes a file without a name beside the outputs: there is room for much, and the
// system's own folder may be in memory.
func (r *Run) temporary() (*os.File, error) {
	if r.Dir == "" {
		return r.Delivery.Temporary()
	}
	return spill.Unnamed(r.Dir)
}

// Rehearse does the run over the first rows, about so many, or over all where first is 0; it
// writes nothing. The account notes where each row ended.
func (r *Run) Rehearse(ctx context.Context, account *sift.Account, first int64) (*sift.Result, error) {
	rows, err := r.Delivery.Rows(ctx)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.name(), err)
	}
	defer source.Close(rows)
	run := r.sifting(rows)
	run.Account = account
	one := &run
	if first > 0 {
		one = run.First(first)
	}
	result, err := one.Rehearse(ctx)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.name(), err)
	}
	return result, nil
}

// MadeOf says what the run makes of some rows, in ascending order; see sift.Run.MadeOf.
func (r *Run) MadeOf(ctx context.Context, rows []int64, from func(context.Context, int64) (source.Source, error),
	see func(*sift.Made)) error {
	top, err := r.Delivery.Rows(ctx)
	if err != nil {
		return fmt.Errorf("%s: %w", r.name(), err)
	}
	defer source.Close(top)
	run := r.sifting(top)
	return run.MadeOf(ctx, rows, from, see)
}

// Explain says what the run makes of one row of the delivery, and writes nothing.
func (r *Run) Explain(ctx context.Context, row int64) (*check.Explanation, error) {
	rows, err := r.Delivery.Rows(ctx)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.name(), err)
	}
	defer source.Close(rows)
	run := r.sifting(rows)
	e, err := run.Explain(ctx, row)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.name(), err)
	}
	return e, nil
}

func (r *Run) name() string {
	if r.Name != "" {
		return r.Name
	}
	return r.Delivery.Name
}

// today returns the day of the run: where it is not given, the present one.
func (r *Run) today() time.Time {
	day := r.Today
	if day.IsZero() {
		day = time.Now()
	}
	return time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, time.UTC)
}

// countsOf leaves out of remedies what they made of which values: a manifest holds none.
func countsOf(all []sift.Remedy) []sift.Remedy {
	counts := make([]sift.Remedy, len(all))
	for i, r := range all {
		counts[i] = sift.Remedy{Column: r.Column, Remedy: r.Remedy, Changed: r.Changed, Spoilt: r.Spoilt}
	}
	return counts
}

func proofOf(name string, version int, text []byte) *TextProof {
	sum := sha256.Sum256(text)
	return &TextProof{name, version, hex.EncodeToString(sum[:])}
}

func (r *Run) manifest(result *sift.Result, written []outcome.Proof) Manifest {
	m := Manifest{
		Sieb:       r.Version,
		Delivery:   DeliveryProof{Name: r.name(), Packing: r.Delivery.Packing, SHA256: r.SHA256},
		Layout:     r.Delivery.Layout,
		Verdict:    result.Verdict,
		Refusal:    result.Refusal,
		Tally:      result.Tally,
		Excluded:   result.Excluded,
		Today:      result.Today,
		References: result.References,
		RepeatOf:   r.RepeatOf,
		Violations: []sift.Counted{},
		Remedies:   countsOf(result.Remedies),
		Outputs:    written,
		Guarded:    r.Guard,
	}
	if r.Target != nil {
		m.Target = proofOf(r.Target.Name, r.TargetVersion, r.Target.Text)
		if mapping := r.Target.Mapping; mapping != nil {
			m.Mapping = proofOf(mapping.Name, r.MappingVersion, mapping.Text)
		}
	}
	for _, w := range r.Write {
		m.Write = append(m.Write, w.Settings)
	}
	if r.Companion != nil {
		m.Companion = proofOf(r.Companion.Name, 0, r.Companion.Text)
	}
	for _, l := range r.Codes {
		m.Codes = append(m.Codes, *proofOf(l.Name, r.CodesVersions[l.Name], l.Text))
	}
	for _, g := range result.Violations {
		m.Violations = append(m.Violations, g.Counted)
	}
	return m
}
