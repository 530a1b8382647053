package outcome

// Settings say how an output is written. What is empty is as usual: codes, under names, and of delimited text commas,
// UTF-8, quotes as needed, LF.
type Settings struct {
	Form           string  `json:"form" doc:"csv, delimited, jsonl, parquet or xlsx"`
	Header         Heading `json:"header,omitempty" enum:"names,titles,none" doc:"what stands over the columns"`
	Codes          Coding  `json:"codes,omitempty" enum:"code,label,both" doc:"what stands for the codes of a code list"`
	Delimiter      string  `json:"delimiter,omitempty" doc:"of delimited text"`
	Encoding       string  `json:"encoding,omitempty" doc:"of delimited text"`
	Quoting        string  `json:"quoting,omitempty" enum:"needed,all,texts" doc:"which cells of delimited text stand in quotes"`
	LineTerminator string  `json:"lineTerminator,omitempty" enum:"lf,crlf" doc:"of delimited text"`
	ByteOrderMark  bool    `json:"byteOrderMark,omitempty" doc:"before delimited text, by which some programs know UTF-8"`
}

// Shape returns how the rows are laid out.
func (s *Settings) Shape() Shape { return Shape{s.Header, s.Codes} }

// Writing is a form by which accepted rows are written, as settings say, and the file that they go to.
type Writing struct {
	Settings Settings
	File     string
	Form     Form
}
