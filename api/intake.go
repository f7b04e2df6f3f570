package api

// IntakeRequest is somebody's own workbook or table, and what he corrected of
// what was understood of it.
type IntakeRequest struct {
	Name    string         `json:"name" required:"true" maxLength:"200" description:"the file's name"`
	Book    string         `json:"book,omitempty" description:"a workbook (XLSX) in base64"`
	Text    string         `json:"text,omitempty" description:"or a table (CSV)"`
	Into    int64          `json:"into,omitempty" office:"planner,planner of all" minimum:"0" description:"the office that it goes into; a new one if it is not said"`
	Title   string         `json:"title,omitempty" maxLength:"200" description:"the name of a new office"`
	Choices []IntakeChoice `json:"choices,omitempty"`
	Cells   []IntakeCell   `json:"cells,omitempty" description:"cells that were corrected"`
	Out     []IntakeLine   `json:"out,omitempty" maxItems:"4096" description:"rows that are left out"`
	Heads   []IntakeAbove  `json:"heads,omitempty" maxItems:"4096" description:"what columns are for from a row on, where no head above says so"`
	Take    bool           `json:"take,omitempty" description:"take it; otherwise it is only shown"`
	ID      string         `json:"id,omitempty" maxLength:"64"`
	Again   bool           `json:"again,omitempty"`
}

// IntakeChoice is what was corrected of one grid.
type IntakeChoice struct {
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true"`
	Device string `json:"device" required:"true"`
	Kind   string `json:"kind" required:"true"`
	Skip   bool   `json:"skip" required:"true"`
}

// IntakeCell is another text for a cell.
type IntakeCell struct {
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true"`
	Column int    `json:"column" required:"true"`
	Text   string `json:"text" required:"true" maxLength:"200"`
}

// IntakeLine is a row of a sheet.
type IntakeLine struct {
	Sheet string `json:"sheet" required:"true"`
	Row   int    `json:"row" required:"true" minimum:"1"`
}

// IntakeAbove is what a column is for from a row on.
type IntakeAbove struct {
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true" minimum:"1"`
	Column int    `json:"column" required:"true" minimum:"1"`
	Role   string `json:"role" required:"true" description:"one of roles"`
}

// IntakeAnswer is what was understood, and what taking it would change.
type IntakeAnswer struct {
	Exact   bool            `json:"exact" required:"true" description:"the workbook has a whole office in notation: its grids say what was changed in them"`
	Grids   []IntakeGrid    `json:"grids" required:"true" nullable:"false"`
	VLANs   []string        `json:"vlans" required:"true" nullable:"false"`
	Trouble []IntakeTrouble `json:"trouble" required:"true" nullable:"false" description:"by kind, those that change frames first; at most 60 of each"`
	Kinds   []IntakeKind    `json:"kinds" required:"true" nullable:"false" description:"the kinds of trouble that there are, in that order"`
	Lines   []string        `json:"lines" required:"true" nullable:"false" description:"what taking it would change, as statements; at most 400"`
	More    int             `json:"more" required:"true" description:"how many further lines there are"`
	Office  *OfficeSummary  `json:"office,omitempty" description:"where it was taken"`
	Sheets  []IntakeSheet   `json:"sheets" required:"true" nullable:"false" description:"a picture of the sheets; none of a workbook that Klammer wrote"`
	Regions []IntakeRegion  `json:"regions" required:"true" nullable:"false" description:"blocks of them that were read as one thing"`
	Roles   []IntakeRole    `json:"roles" required:"true" nullable:"false" description:"what a column can be taken for"`
	Known   []IntakeKnown   `json:"known" required:"true" nullable:"false" description:"heads of this file that somebody took for something in a file before"`
}

// IntakeSheet is a picture of a sheet: as many of its cells as are drawn, and what became of each.
type IntakeSheet struct {
	Name    string     `json:"name" required:"true"`
	Rows    int        `json:"rows" required:"true" description:"that there are"`
	Columns int        `json:"columns" required:"true"`
	Cells   [][]string `json:"cells" required:"true" nullable:"false" description:"by row; the beginning of each"`
	Is      []string   `json:"is" required:"true" nullable:"false" description:"by row, a letter a cell: t taken, w not understood, l left where it is, - empty"`
}

// IntakeRegion is a block of a sheet that was read as one thing.
type IntakeRegion struct {
	Sheet   string       `json:"sheet" required:"true"`
	Row     int          `json:"row" required:"true" description:"of its head, from 1; its first where it is bare"`
	Bare    bool         `json:"bare,omitempty" description:"it has no head of its own: what its columns are was said, or told by what is in them"`
	Column  int          `json:"column" required:"true" description:"its first, from 1"`
	Rows    int          `json:"rows" required:"true"`
	Columns int          `json:"columns" required:"true"`
	Is      string       `json:"is" required:"true" description:"in words"`
	Device  string       `json:"device,omitempty" description:"of one device"`
	Heads   []IntakeHead `json:"heads" required:"true" nullable:"false"`
}

// IntakeHead is a column of a region and what it was taken for.
type IntakeHead struct {
	Column int    `json:"column" required:"true"`
	Text   string `json:"text" required:"true" description:"what stands above it"`
	Is     string `json:"is" required:"true" description:"a role, or member: of a port or VLAN whose marks stand below"`
}

// IntakeKnown is what a head was taken for before, by whoever brought that file.
type IntakeKnown struct {
	Head string `json:"head" required:"true" description:"in small letters"`
	Word string `json:"word" required:"true" description:"of its role"`
}

// IntakeRole is what a column can be taken for.
type IntakeRole struct {
	Role string `json:"role" required:"true"`
	Says string `json:"says" required:"true"`
	Word string `json:"word" required:"true" description:"the head that says so: who takes a column for it corrects the cell of its head to this"`
}

// IntakeGrid is a grid of one device.
type IntakeGrid struct {
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true" description:"of its head"`
	Device string `json:"device" required:"true"`
	Kind   string `json:"kind" required:"true"`
	Ports  int    `json:"ports" required:"true"`
	Down   bool   `json:"down" required:"true" description:"VLANs run down; otherwise ports do"`
	Skip   bool   `json:"skip" required:"true"`
}

// IntakeKind is a kind of trouble, and how often it is.
type IntakeKind struct {
	Kind   string `json:"kind" required:"true"`
	Says   string `json:"says" required:"true"`
	Count  int    `json:"count" required:"true"`
	Frames bool   `json:"frames" required:"true" description:"it changes who hears what"`
}

// IntakeTrouble is a cell that was not understood.
type IntakeTrouble struct {
	Kind   string `json:"kind" required:"true"`
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true"`
	Column int    `json:"column" required:"true" description:"0 where the whole row is meant"`
	Text   string `json:"text" required:"true"`
	Is     string `json:"is" required:"true" description:"what stands in the cell"`
}

// TriedView is what was tried in a copy, piece by piece.
type TriedView struct {
	Revision int64        `json:"revision" required:"true" description:"of the office, for seen"`
	Pieces   []TriedPiece `json:"pieces" required:"true" nullable:"false"`
}

// TriedPiece is one thing that was tried: a port, a device, a cable, the rules of a device.
type TriedPiece struct {
	Key     string `json:"key" required:"true"`
	Name    string `json:"name" required:"true" description:"as people say it: port rack.19"`
	Then    string `json:"then" required:"true" description:"what the office said as it was copied, in notation; empty for nothing"`
	Here    string `json:"here" required:"true" description:"what it says now"`
	Tried   string `json:"tried" required:"true" description:"what the copy says now"`
	Clashes bool   `json:"clashes,omitempty" description:"it was changed here as well, otherwise"`
	By      string `json:"by,omitempty" description:"who changed it here last, and in which edit"`
}

// TakeoverRequest takes what was tried in a copy over into the office that it
// is a copy of.
type TakeoverRequest struct {
	From int64 `json:"from" required:"true" minimum:"1" office:"reader" description:"the copy"`
	// What was changed here as well is then chosen by naming it, or by leaving it out.
	Keys  []string `json:"keys,omitempty" maxItems:"4096" description:"the pieces that are taken over; none: all, where nobody changed one of them here meanwhile"`
	Seen  int64    `json:"seen,omitempty" minimum:"0" description:"with keys: the revision at which somebody looked at the pieces"`
	ID    string   `json:"id,omitempty" maxLength:"64"`
	Again bool     `json:"again,omitempty"`
}
