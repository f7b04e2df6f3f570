package api

import (
	"time"

	"klammer/core/history"
)

// UndoRequest takes one edit back; to redo is to take the undoing back.
type UndoRequest struct {
	Revision int64  `json:"revision" required:"true" minimum:"1"`
	ID       string `json:"id,omitempty" maxLength:"64" description:"a name that the page gave the request: asked again, it is not done again"`
	Again    bool   `json:"again,omitempty" description:"it may have been done already: ask first"`
}

// StoryEntry is one thing that happened to an office.
type StoryEntry struct {
	Kind     string       `json:"kind" required:"true" enum:"edit,order,step,found,proof"`
	At       time.Time    `json:"at" required:"true"`
	Who      string       `json:"who" required:"true" description:"empty where a device was found so"`
	Text     string       `json:"text" required:"true"`
	Device   string       `json:"device,omitempty"`
	Revision int64        `json:"revision,omitempty" description:"of an edit"`
	Turn     history.Turn `json:"turn,omitempty"`
	UndoneBy int64        `json:"undoneBy,omitempty"`
	Name     string       `json:"name,omitempty" description:"what the revision is called"`
}

// Story is what happened to an office, the newest first, and where the page before begins.
type Story struct {
	Entries []StoryEntry `json:"entries" required:"true" nullable:"false"`
	Before  int64        `json:"before" required:"true" description:"for the page before; 0: there is none"`
	Until   *time.Time   `json:"until,omitempty" description:"for the page before"`
	People  []string     `json:"people" required:"true" nullable:"false" description:"those who did something"`
}

// RevisionName calls a revision something.
type RevisionName struct {
	Name string `json:"name" maxLength:"80" description:"before the move; empty takes it away"`
}

// HistoryEntry is one edit that was made.
type HistoryEntry struct {
	Revision int64        `json:"revision" required:"true"`
	Author   string       `json:"author" required:"true"`
	At       time.Time    `json:"at" required:"true"`
	Summary  string       `json:"summary" required:"true"`
	Turn     history.Turn `json:"turn" required:"true"`
	Undoes   int64        `json:"undoes" required:"true" description:"the edit that it takes back, 0 for none"`
	UndoneBy int64        `json:"undoneBy" required:"true" description:"the edit that took it back, 0 for none"`
	ID       string       `json:"id" required:"true" description:"the name that the page gave to the request: it knows its own by it"`
}
