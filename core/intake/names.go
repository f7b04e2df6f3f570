package intake

import (
	"fmt"
	"regexp"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

func generic(name string) bool {
	return regexp.MustCompile(`(?i)^(sheet|table|tabelle|data)?\s*\d*$|\.csv$`).MatchString(name)
}

// kindOf guesses a device's kind from what a sheet calls it; a switch, where no word tells.
func kindOf(title string) office.Kind {
	low := strings.ToLower(title)
	for _, k := range kindWords {
		if strings.Contains(low, k.word) {
			return k.kind
		}
	}
	return "switch"
}

// DeviceName is a title as the name of a device: in letters, digits and hyphens.
func DeviceName(title string) string {
	title = regexp.MustCompile(`(?i)^(switch|device|host|router)\s*[:#]\s*`).ReplaceAllString(strings.TrimSpace(title), "")
	name := word(title, "switch-1")
	if notation.Reserved(name) {
		name += "-1"
	}
	return name
}

// word makes a name of the notation out of a text as people write it: "Main Rack / 1st floor"
// becomes main-rack-1st-floor. At most 60 letters, and otherwise where none are left.
func word(text, otherwise string) string {
	var b strings.Builder
	for _, c := range strings.ToLower(text) {
		switch {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			b.WriteRune(c)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		if b.Len() > 60 {
			break
		}
	}
	if out := strings.Trim(b.String(), "-"); out != "" {
		return out
	}
	return otherwise
}

// vlanName makes a VLAN's name, which begins with a letter, has at most 32 and is no other VLAN's:
// "2nd floor" becomes vlan-2nd-floor, and a second "staff" gets its number behind.
//
//	> | Switch A | 110 2nd floor | 120 Staff & Friends |
//	> | 1 | U | |
//	vlan 110 vlan-2nd-floor
//	vlan 120 staff-friends
//	device switch-a switch
//	  ports 1
//	  1: 110
func vlanName(text string, vid office.VID, used map[string]bool) string {
	name := word(text, "")
	if name == "" || name[0] < 'a' {
		name = strings.Trim("vlan-"+name, "-")
		if text == "" {
			name = fmt.Sprintf("vlan%d", vid)
		}
	}
	if len(name) > 32 {
		name = strings.Trim(name[:32], "-")
	}
	if used[name] {
		name = fmt.Sprintf("%.26s-%d", name, vid)
	}
	used[name] = true
	return name
}

// clean is a text of a cell without what is not seen.
func clean(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if office.CheckText("it", text, office.MostName, true) != nil {
		return strings.Map(func(c rune) rune {
			if office.CheckText("it", string(c), 1, false) != nil && c != ' ' {
				return -1
			}
			return c
		}, text[:min(len(text), office.MostName)])
	}
	return text
}
