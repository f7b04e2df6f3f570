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
