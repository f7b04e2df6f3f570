package api

import "time"

// ShelfView is what several offices share, beside one of them.
type ShelfView struct {
	Items []ShelfItem `json:"items" required:"true" nullable:"false"`
}

// ShelfItem is uses and port plans under a name, at their newest revision.
type ShelfItem struct {
	Name     string       `json:"name" required:"true"`
	Revision int          `json:"revision" required:"true"`
	Text     string       `json:"text" required:"true" description:"in notation"`
	Note     string       `json:"note,omitempty"`
	From     string       `json:"from" required:"true" description:"the office that it is from"`
	By       string       `json:"by" required:"true"`
	At       time.Time    `json:"at" required:"true"`
	Follows  int          `json:"follows" required:"true" description:"the revision that this office follows; 0 for none"`
	Because  string       `json:"because,omitempty" description:"why it departs"`
	Departs  []string     `json:"departs" required:"true" nullable:"false" description:"uses and plans that are otherwise here than at the revision that is followed"`
	Would    []string     `json:"would" required:"true" nullable:"false" description:"statements that make this office as the newest revision is"`
	Others   []ShelfOther `json:"others" required:"true" nullable:"false" description:"other offices that follow it, of those that one may see"`
}

// ShelfOther is another office that follows something.
type ShelfOther struct {
	Office   int64  `json:"office" required:"true"`
	Title    string `json:"title" required:"true"`
	Revision int    `json:"revision" required:"true"`
	Because  string `json:"because,omitempty"`
}

// ShelfRequest puts uses and plans of an office on the shelf, or those of a text.
type ShelfRequest struct {
	Name  string   `json:"name" required:"true" minLength:"1" maxLength:"60"`
	Plans []string `json:"plans,omitempty" maxItems:"500" description:"with the uses that they name"`
	Uses  []string `json:"uses,omitempty" maxItems:"500"`
	Text  string   `json:"text,omitempty" maxLength:"200000" description:"instead: uses and plans in notation"`
	Note  string   `json:"note,omitempty" maxLength:"500"`
}

// ShelfFollow says that an office follows a revision.
type ShelfFollow struct {
	Name     string `json:"name" required:"true" minLength:"1" maxLength:"60"`
	Revision int    `json:"revision" required:"true" minimum:"0" description:"0: it follows no more"`
	Because  string `json:"because,omitempty" maxLength:"500" description:"why it departs, where it does"`
}
