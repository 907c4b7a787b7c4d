package practice

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/nec"
	"elvat/core/parts"
	"elvat/core/units"
)

// A Shop is what a shop has set of its make-ups; what is absent is as usual.
type Shop struct {
	House      House       `json:"house,omitzero"`
	Edition    nec.Edition `json:"edition,omitempty"`
	Prices     Prices      `json:"prices,omitempty"`
	Amendments []nec.Rule  `json:"amendments,omitempty"`
	// Items are the shop's own things in the catalogue, beside those that make-ups use.
	Items []parts.Item `json:"items,omitempty"`
	// TimeZone is that of the shop, by its IANA name, for screens and papers; empty: that of
	// the machine that shows them.
	TimeZone string `json:"timeZone,omitempty"`
	// Units are what screens and papers measure in; empty: US.
	Units units.System `json:"units,omitempty"`
}

// Bounds of what a shop can enter. Assumption.
const (
	mostAmendments = 200
	mostItems      = 500
	longestWords   = 100
)

// Check reports what is out of bounds, naming it.
func (s Shop) Check() error {
	if err := s.House.Check(); err != nil {
		return err
	}
	if s.Edition != 0 {
		if err := s.Edition.Check(); err != nil {
			return err
		}
	}
	if len(s.TimeZone) > longestWords {
		return fmt.Errorf("timeZone: longer than %d characters", longestWords)
	}
	if err := s.Units.Check(); err != nil {
		return err
	}
	if len(s.Amendments) > mostAmendments {
		return fmt.Errorf("amendments: %d of them; at most %d", len(s.Amendments), mostAmendments)
	}
	for _, r := range s.Amendments {
		if err := nec.CheckAmendment(r); err != nil {
			return err
		}
	}
	if err := s.checkItems(); err != nil {
		return err
	}
	return s.Prices.Check()
}

func (s Shop) checkItems() error {
	if len(s.Items) > mostItems {
		return fmt.Errorf("items: %d of them; at most %d", len(s.Items), mostItems)
	}
	taken, said := map[string]bool{}, map[string]bool{}
	for _, i := range parts.Catalogue() {
		taken[i.Code], said[i.Words] = true, true
	}
	for n, i := range s.Items {
		switch {
		case i.Code == "" || len(i.Code) > longestWords || taken[i.Code]:
			return fmt.Errorf("items[%d].code: %q is missing, too long, or in the catalogue already", n, i.Code)
		case strings.TrimSpace(i.Words) == "" || len(i.Words) > longestWords || said[i.Words]:
			return fmt.Errorf("items[%d].words: %q is missing, too long, or in the catalogue already", n, i.Words)
		case !slices.Contains(parts.Groups, i.Group):
			return fmt.Errorf("items[%d].group: there is no shelf %q", n, i.Group)
		case i.Usual < 0 || i.Usual > mostPrice:
			return fmt.Errorf("items[%d].usual: %g is out of bounds", n, i.Usual)
		case i.Unit != "" && i.Unit != "ft":
			return fmt.Errorf("items[%d].unit: %q is neither by the piece nor by the ft", n, i.Unit)
		}
		taken[i.Code], said[i.Words] = true, true
	}
	return nil
}

// Book is the code in the edition, or the shop's where none is named, with the
// shop's amendments.
func (s Shop) Book(edition nec.Edition) nec.Book {
	for _, e := range []nec.Edition{s.Edition, nec.Usual} {
		if edition == 0 {
			edition = e
		}
	}
	b := nec.Book{Edition: edition}
	for _, r := range s.Amendments {
		r.Local = true
		b.Amendments = append(b.Amendments, r)
	}
	return b
}

// A Sheet is a shop's settings with all there is to set.
type Sheet struct {
	Schools    []School      `json:"schools"`
	Edition    nec.Edition   `json:"edition"`
	Editions   []nec.Edition `json:"editions"`
	Prices     []Price       `json:"prices"`
	Amendments []nec.Rule    `json:"amendments"`
	Items      []parts.Item  `json:"items"`
	Rules      []nec.Rule    `json:"rules"` // the rows of the edition that a place decides
	Topics     []nec.Topic   `json:"topics"`
	Rooms      []nec.Room    `json:"rooms"`
	TimeZone   string        `json:"timeZone"`
	Units      units.System  `json:"units"`
}

// Sheet lists what is set and what there is to choose from.
func (s Shop) Sheet() Sheet {
	b := s.Book(0)
	sheet := Sheet{
		Schools: s.House.Schools(), Edition: b.Edition, Editions: nec.Editions, Prices: s.Prices.Rows(), Items: append([]parts.Item{}, s.Items...),
		Amendments: append([]nec.Rule{}, b.Amendments...), Topics: nec.PlaceTopics, Rooms: nec.Rooms, TimeZone: s.TimeZone, Units: s.Units,
	}
	for _, r := range nec.Rules {
		if r.In(b.Edition) {
			sheet.Rules = append(sheet.Rules, r)
		}
	}
	return sheet
}
