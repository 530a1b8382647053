package workbook

// The sheets of a workbook that is made from a target for senders to fill in, the first three in
// this order: rows go into the first, the others explain.
const (
	RowsSheet    = "Rows"
	ExampleSheet = "Example"
	WordsSheet   = "Columns"
)

// SenderRows returns the index of the sheet into which a sender filled rows, where the workbook is one
// that was made for senders, and -1 otherwise. Such a sheet may hold fewer rows than the one that explains it.
func (b *Book) SenderRows() int {
	for k, name := range []string{RowsSheet, ExampleSheet, WordsSheet} {
		if k >= len(b.Sheets) || b.Sheets[k].Name != name {
			return -1
		}
	}
	return 0
}
