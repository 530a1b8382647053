package api

// Marks tell of the cells of some rows that are not as they were delivered, or not as a rule demands.
type Marks struct {
	Items []MarkedRow `json:"items" doc:"in ascending order; rows without such a cell are left out"`
}

// MarkedRow is a row with such cells.
type MarkedRow struct {
	Row   int64        `json:"row" doc:"its number in the delivery"`
	Cells []MarkedCell `json:"cells"`
}

// MarkedCell is such a cell.
type MarkedCell struct {
	Column string   `json:"column" doc:"of the target"`
	Was    *string  `json:"was,omitempty" doc:"as delivered, cut where it is long; absent where nothing changed it, or there was no cell"`
	By     []string `json:"by,omitempty" doc:"remedies that changed it, null, default, or blank for a wrong value that was taken out"`
	Breaks []string `json:"breaks,omitempty" doc:"what is said of the rules that it breaks"`
}
