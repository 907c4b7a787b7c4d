package job

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"elvat/core/cells"
)

// directoryColumns are the columns of a directory as CSV, in their order where
// no first row names them.
var directoryColumns = []string{"breaker", "amps", "serves", "checked"}

// ParseDirectoryCSV reads a panel's directory: one breaker a row. A first row
// that names the columns is understood in any order; without it they are
// breaker, amps, serves. Commas, semicolons and tabs are told apart by the first
// row. Errors name the row and the column.
func ParseDirectoryCSV(data []byte) (Directory, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	first, _, _ := bytes.Cut(data, []byte("\n"))
	r := csv.NewReader(bytes.NewReader(data))
	r.FieldsPerRecord = -1
	for _, comma := range ",;\t" {
		if bytes.Count(first, []byte(string(comma))) > bytes.Count(first, []byte(string(r.Comma))) {
			r.Comma = comma
		}
	}
	r.TrimLeadingSpace = r.Comma != '\t' // a tab is no space to trim where it parts
	at := map[string]int{"breaker": 0, "amps": 1, "serves": 2, "checked": 3}
	d := Directory{}
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("directory: %w", err)
		}
		line, _ := r.FieldPos(0)
		if len(d) == 0 && line == 1 {
			named, err := header(record)
			if err != nil {
				return nil, err
			}
			if named != nil {
				at = named
				continue
			}
		}
		if strings.TrimSpace(strings.Join(record, "")) == "" {
			continue
		}
		row, err := directoryRow(record, at)
		if err != nil {
			return nil, fmt.Errorf("row %d: %w", line, err)
		}
		d = append(d, row)
	}
	if len(d) == 0 {
		return nil, errors.New("directory: no row names a breaker")
	}
	return d, d.Check()
}

// header finds the columns that a first row names; nil where it names none.
func header(record []string) (map[string]int, error) {
	at := map[string]int{}
	for i, name := range record {
		name = strings.ToLower(strings.TrimSpace(name))
		for _, column := range directoryColumns {
			if name == column {
				at[column] = i
			}
		}
	}
	if len(at) == 0 {
		return nil, nil
	}
	if _, ok := at["breaker"]; !ok {
		return nil, errors.New("row 1: no column is named breaker")
	}
	return at, nil
}

func directoryRow(record []string, at map[string]int) (DirectoryRow, error) {
	field := func(column string) string {
		i, ok := at[column]
		if !ok || i >= len(record) {
			return ""
		}
		return strings.TrimSpace(record[i])
	}
	row := DirectoryRow{Breaker: field("breaker"), Serves: field("serves")}
	if amps := strings.TrimSuffix(strings.TrimSpace(strings.TrimSuffix(strings.ToUpper(field("amps")), "A")), "."); amps != "" {
		var err error
		if row.Amps, err = strconv.ParseFloat(amps, 64); err != nil {
			return row, fmt.Errorf("amps: %q is no number", field("amps"))
		}
	}
	switch checked := strings.ToLower(field("checked")); checked {
	case "", "no", "false":
	case "yes", "true":
		row.Checked = true
	default:
		return row, fmt.Errorf("checked: %q is neither yes nor no", checked)
	}
	return row, nil
}

// CSV is the directory as ParseDirectoryCSV reads it. Cells that a spreadsheet
// would take for a formula get a leading apostrophe.
func (d Directory) CSV() ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	if err := w.Write(directoryColumns); err != nil {
		return nil, err
	}
	for _, r := range d {
		amps := ""
		if r.Amps != 0 {
			amps = strconv.FormatFloat(r.Amps, 'g', -1, 64)
		}
		checked := map[bool]string{true: "yes", false: "no"}[r.Checked]
		if err := w.Write([]string{cells.Plain(r.Breaker), amps, cells.Plain(r.Serves), checked}); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}
