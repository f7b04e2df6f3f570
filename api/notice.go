package api

import "time"

// NoticeKind is something that one may want to hear of.
type NoticeKind struct {
	Kind string `json:"kind" required:"true"`
	Says string `json:"says" required:"true"`
}

// NoticeTo is who, or what, hears of an office.
type NoticeTo struct {
	ID      int64      `json:"id" required:"true"`
	Way     string     `json:"way" required:"true" enum:"mail,webhook,syslog"`
	Target  string     `json:"target" required:"true"`
	Kinds   []string   `json:"kinds" required:"true" nullable:"false"`
	Daily   bool       `json:"daily" required:"true" description:"once a day, all together"`
	By      string     `json:"by" required:"true" description:"who wanted it so"`
	Mine    bool       `json:"mine" required:"true"`
	Waiting int        `json:"waiting" required:"true" description:"how much is not taken yet"`
	Failed  string     `json:"failed,omitempty" description:"why the newest was not taken, or not yet"`
	Sent    *time.Time `json:"sent,omitempty" description:"of the newest that was taken"`
}

// NoticesView is who hears what of an office.
type NoticesView struct {
	To     []NoticeTo   `json:"to" required:"true" nullable:"false" description:"one's own; all of them for who keeps the office"`
	Kinds  []NoticeKind `json:"kinds" required:"true" nullable:"false"`
	Ways   []string     `json:"ways" required:"true" nullable:"false" description:"in which one may be told"`
	Secret string       `json:"secret,omitempty" description:"signs the webhook that was just made; it is shown once"`
}

// NoticeRequest is somebody who wants to hear of an office.
type NoticeRequest struct {
	Way    string   `json:"way" required:"true" enum:"mail,webhook,syslog"`
	Target string   `json:"target" required:"true" minLength:"1" maxLength:"500" description:"an e-mail address; an http or https URL; udp://host:514 or tcp://host:601"`
	Kinds  []string `json:"kinds" required:"true" minItems:"1" maxItems:"10"`
	Daily  bool     `json:"daily,omitempty"`
}

// NoticeTest asks for a message to be sent now.
type NoticeTest struct {
	ID int64 `json:"id" required:"true"`
}
