package api

import "sieb/core/table"

// MadeText is a text that was made of something, and what it does not say of that.
type MadeText struct {
	Name    string            `json:"name,omitempty" doc:"of the target"`
	Text    string            `json:"text"`
	Mapping string            `json:"mapping,omitempty" doc:"text of a mapping that goes with it"`
	Left    []string          `json:"left" doc:"what could not be expressed, in words"`
	Taken   map[string]string `json:"taken,omitempty" doc:"of a dictionary, what each heading was taken for"`
}

// CodesFrom says of what a code list is made.
type CodesFrom struct {
	Name     string `json:"name" minLength:"1" maxLength:"63"`
	Title    string `json:"title,omitempty" maxLength:"200"`
	By       string `json:"by,omitempty" maxLength:"100" doc:"who adds it"`
	Delivery string `json:"delivery,omitempty" doc:"a delivery, of which a column holds the codes"`
	Column   string `json:"column,omitempty" doc:"of the delivery: header of the codes"`
	Label    string `json:"label,omitempty" doc:"of the delivery or table: column with what the codes mean"`
	Database string `json:"database,omitempty" doc:"a database that the service's settings name"`
	Table    string `json:"table,omitempty" doc:"schema.table"`
	Code     string `json:"code,omitempty" doc:"of the table: column with the codes"`
}

// TablesFound is tables of a database.
type TablesFound struct {
	Items []table.Listed `json:"items"`
	More  bool           `json:"more,omitempty" doc:"there are more than are listed: search"`
}
