package office

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// CheckAddress reads an address with its prefix length, as in 10.61.110.1/24.
func CheckAddress(text string) (netip.Prefix, error) {
	prefix, err := netip.ParsePrefix(text)
	if err != nil {
		return prefix, fmt.Errorf("%q is not an address with its prefix length, such as 10.61.110.1/24", text)
	}
	return prefix, nil
}

// CheckHabit says whether a habit of that name exists.
func CheckHabit(text string) error {
	if !slices.Contains(Habits, Habit(text)) {
		return fmt.Errorf("%q is not a habit: %s", text, list(Habits, text))
	}
	return nil
}

// CheckWording says whether a wording of that name exists.
func CheckWording(text string) error {
	if !slices.Contains(Wordings, WordingName(text)) {
		return fmt.Errorf("%q is not a wording: %s", text, list(Wordings, text))
	}
	return nil
}

// CheckVLANName says whether text may name a VLAN.
func CheckVLANName(text string) error {
	ok := len(text) >= 1 && len(text) <= 32 && text[0] >= 'a' && text[0] <= 'z'
	for _, c := range []byte(text) {
		ok = ok && (c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-')
	}
	if !ok {
		return fmt.Errorf("%q cannot name a VLAN: a small letter, then up to 31 small letters, digits and hyphens, such as %s", text, Fitting(text, "staff"))
	}
	return CheckSideName("a VLAN", text)
}

// CheckSideName says whether a VLAN, a zone or a service may have a name: the
// words of a rule's sides are none.
func CheckSideName(what, name string) error {
	if slices.Contains(sideWords, name) {
		return fmt.Errorf("%s cannot name %s: in rules it means something (%s)", name, what, strings.Join(sideWords, ", "))
	}
	return nil
}

// CheckText says whether a text may name something, or say something of it: it
// is not empty where it may not be, not longer than most letters, and all of it
// is seen: no control characters, none that take no place or turn the direction
// of what stands around them.
func CheckText(what, text string, most int, empty bool) error {
	if strings.TrimSpace(text) == "" && !(empty && text == "") {
		return fmt.Errorf("%s is empty: give it letters that are seen", what)
	}
	if n := utf8.RuneCountInString(text); n > most {
		return fmt.Errorf("%s has %d letters: at most %d", what, n, most)
	}
	for _, c := range text {
		if unicode.IsControl(c) || unicode.Is(unicode.Cf, c) || unicode.Is(unicode.Co, c) || c == 0x2028 || c == 0x2029 || c == unicode.ReplacementChar {
			return fmt.Errorf("%s has the letter U+%04X, which is not seen: take it out", what, c)
		}
	}
	return nil
}

// plainLetters are what letters with marks are without them, as people write them where there are none.
var plainLetters = strings.NewReplacer(
	"ä", "ae", "ö", "oe", "ü", "ue", "ß", "ss", "æ", "ae", "ø", "o", "å", "a", "œ", "oe",
	"à", "a", "á", "a", "â", "a", "ã", "a", "ç", "c", "č", "c", "ć", "c", "è", "e", "é", "e", "ê", "e", "ë", "e", "ę", "e", "ě", "e",
	"ì", "i", "í", "i", "î", "i", "ï", "i", "ł", "l", "ñ", "n", "ń", "n", "ò", "o", "ó", "o", "ô", "o", "õ", "o", "ő", "o",
	"ř", "r", "š", "s", "ś", "s", "ù", "u", "ú", "u", "û", "u", "ű", "u", "ů", "u", "ý", "y", "ž", "z", "ź", "z", "ż", "z", "ą", "a",
)

// Fitting is the name nearest to text that fits everywhere: small letters, digits and hyphens, a
// letter first, so that "Plot Room" is plot-room and "Büro" buero; otherwise where nothing of text
// is left.
func Fitting(text, otherwise string) string {
	var b strings.Builder
	for _, c := range plainLetters.Replace(strings.ToLower(text)) {
		switch {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9' && b.Len() > 0:
			b.WriteRune(c)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	out := b.String()
	if out = strings.Trim(out[:min(len(out), 32)], "-"); out == "" {
		return otherwise
	}
	return out
}

// list is "a, b or c", the nearest to text first among equals left to the reader.
func list[T ~string](all []T, text string) string {
	var names []string
	for _, x := range all {
		names = append(names, string(x))
	}
	if name := Nearest(text, names); name != "" {
		return "did you mean " + name + "? There are " + strings.Join(names, ", ")
	}
	return "there are " + strings.Join(names, ", ")
}

// hint ends a fault with the name that was probably meant. Who typed a number wrong meant another
// number, and there the nearest name only misleads.
func hint(text string, names []string, otherwise string) string {
	if name := Nearest(text, names); name != "" && digits(text) == 0 {
		return ": did you mean " + name + "?"
	}
	return ": " + otherwise
}

// Nearest is the one of names that text was most likely meant to be, or "".
func Nearest(text string, names []string) string {
	if len(text) > MostName || len(names) > mostNear {
		return ""
	}
	best, at := "", 1+len(text)/3
	for _, name := range names {
		if d := distance(text, name, at); d < at {
			best, at = name, d
		}
	}
	return best
}

// distance is the number of letters to add, drop, change or swap, up to most.
func distance(a, b string, most int) int {
	if len(a)-len(b) >= most || len(b)-len(a) >= most {
		return most
	}
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			c := 1
			if a[i-1] == b[j-1] {
				c = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+c)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}

// NamedOutside says whether a port is named for a line to the outside, as fronts have it:
// wan, wan1, WAN 2, internet.
func NamedOutside(port string) bool {
	port = strings.TrimRight(strings.ToLower(port), "0123456789 -_")
	return port == "wan" || port == "internet" || port == "line"
}
