package intake

import (
	"regexp"
	"strings"
)

// role is what a column is for.
type role string

// What columns are for. A column that is none of them, beside ports, is a note with its head.
const (
	aDevice   role = "device"
	aPort     role = "port"
	aVLAN     role = "vlan"
	aName     role = "name"
	aNote     role = "note"
	aSubnet   role = "subnet"
	aLocal    role = "local"
	untaggeds role = "untagged" // VLANs of a port, or ports of a VLAN
	taggeds   role = "tagged"
	aPVID     role = "pvid"
	hangs     role = "hangs" // what is plugged in
	aSpeed    role = "speed"
	aSocket   role = "socket"
	aNothing  role = "nothing" // a column that is left out on purpose
)

// heads are the words that people write above columns, in some languages.
var heads = map[role][]string{
	aDevice:   {"device", "switch", "host", "hostname", "gerät", "geraet", "appareil", "équipement", "apparaat", "dispositivo"},
	aPort:     {"port", "ports", "interface", "anschluss", "schnittstelle", "port nr", "port no", "port number", "portnummer", "poort", "puerto", "porta"},
	aVLAN:     {"vlan", "vid", "id", "vlan id", "vlan nr", "vlan no", "vlan number"},
	aName:     {"name", "vlan name", "bezeichnung", "nom", "naam", "nombre"},
	aNote:     {"note", "notes", "remark", "remarks", "comment", "comments", "description", "bemerkung", "kommentar", "notiz", "beschreibung", "remarque", "opmerking", "nota"},
	aSubnet:   {"subnet", "subnets", "network", "net", "netz", "subnetz", "réseau", "prefix", "ip range"},
	aLocal:    {"local"},
	untaggeds: {"untagged", "untag", "untagged vlan", "untagged vlans", "untagged ports", "access", "access vlan", "access ports", "native", "native vlan", "ungetaggt", "ohne tag", "non tagué", "sans étiquette"},
	taggeds:   {"tagged", "tag", "tagged vlan", "tagged vlans", "tagged ports", "trunk", "trunk vlans", "trunk ports", "getaggt", "mit tag", "tagué", "étiqueté"},
	aPVID:     {"pvid", "port vlan", "port vlan id", "default vlan"},
	hangs:     {"what hangs on it", "what hangs there", "what", "connected", "connected to", "connected device", "plugged in", "user", "used by", "belegung", "angeschlossen", "gerät am port", "endgerät", "utilisateur", "branché", "aangesloten"},
	aSpeed:    {"speed", "rate", "geschwindigkeit", "vitesse", "snelheid"},
	aNothing:  {"nothing"},
	aSocket:   {"socket", "outlet", "wall socket", "jack", "dose", "datendose", "prise", "patch", "patch panel", "patchfeld"},
}

var roleByHead = func() map[string]role {
	out := map[string]role{}
	for what, list := range heads {
		for _, word := range list {
			out[word] = what
		}
	}
	return out
}()

// roleOf is what a column with that head is for; "" where the head does not say.
func roleOf(head string) role { return roleByHead[plainWords(head)] }

// wordOf is the role of a column in a sheet of cables or plugs, or what it is for elsewhere.
func wordOf(head string) string {
	switch word := plainWords(head); word {
	case "from", "to", "wants", "how", "what":
		return word
	}
	return string(roleOf(head))
}

// plainWords is a text in small letters, with single spaces, without what stands around words.
func plainWords(text string) string {
	text = strings.NewReplacer("_", " ", "-", " ", "/", " ", ".", " ", ":", " ", "?", " ", "(s)", "s").Replace(strings.ToLower(text))
	return strings.Join(strings.Fields(text), " ")
}

// roles is what the columns of a row are for, where the row is a head.
type roles struct {
	row int
	of  []role // by column; "" for none
	at  map[role]int
}

func (r roles) has(what role) bool { _, ok := r.at[what]; return ok }

// cell is the text of a row's cell in a role.
func (r roles) cell(cells []string, what role) (text string, column int) {
	k, ok := r.at[what]
	if !ok || k >= len(cells) {
		return "", -1
	}
	return strings.TrimSpace(cells[k]), k
}

// rolesOf reads a row as a head.
func rolesOf(cells []string, row int) roles {
	out := roles{row: row, of: make([]role, len(cells)), at: map[role]int{}}
	for k, text := range cells {
		what := roleOf(text)
		if _, twice := out.at[what]; what == "" || twice {
			continue
		}
		out.of[k], out.at[what] = what, k
	}
	return out
}

// lists says whether a head is that of a list of ports: one a row, with its VLANs in cells.
func (r roles) lists() bool {
	return r.has(aPort) && (r.has(untaggeds) || r.has(taggeds) || r.has(aPVID) || r.has(aVLAN) && len(r.at) >= 2) && !(r.has(aVLAN) && r.at[aVLAN] < r.at[aPort] && r.has(untaggeds))
}

// members says whether a head is that of a list of VLANs with the ports that are in them.
func (r roles) members() bool {
	return r.has(aVLAN) && (r.has(untaggeds) || r.has(taggeds)) && (!r.has(aPort) || r.at[aVLAN] < r.at[aPort])
}

var legendText = regexp.MustCompile(`(?i)^\s*(?:(?:legend|legende|key|légende)\b.*|([A-Za-z*+•✓✔]{1,3})\s*[=:–-]\s*(.+))$`)

// legend reads a cell that says what a mark means: U = untagged. What it says of a mark that
// is not known is noted.
//
//	> | Switch A | 110 | 120 |
//	> | 1 | A | B |
//	> | A = untagged | | |
//	> | B = tagged | | |
//	vlan 110 vlan110
//	vlan 120 vlan120
//	device switch-a switch
//	  ports 1
//	  1: 110 [120]
func legend(text string, own map[string]string) bool {
	m := legendText.FindStringSubmatch(text)
	if m == nil {
		return false
	}
	if m[1] == "" {
		return true
	}
	says := plainWords(m[2])
	for word, as := range map[string]string{"untagged": "U", "tagged": "T", "pvid": "P", "ungetaggt": "U", "getaggt": "T", "access": "U", "trunk": "T"} {
		if says == word || strings.HasPrefix(says, word+" ") {
			own[strings.ToLower(m[1])] = as
			return true
		}
	}
	return false
}
