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
