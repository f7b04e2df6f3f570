package notation

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
)

// TopLevel are the words that start a statement of a file, and of the line.
var TopLevel = []string{"office", "vlan", "use", "plan", "device", "cable", "plug", "service", "must", "never"}

// InDevice are the words that start a statement of a device.
var InDevice = []string{"ports", "bundle", "bundles", "inner", "forwarding", "wording", "limit", "manage", "address", "follows",
	"outside", "route", "routing", "stateless", "stateful", "between", "within", "allow", "deny", "rule"}

// InShape are the words that a shape may have, or may end in.
var InShape = []string{"use", "off", "all", "needed", "pvid", "admit", "filter", "because"}

// keywords are words that cannot stand as names without quotes where they could
// start a statement: [Reserved].
var keywords = func() map[string]bool {
	all := map[string]bool{"last": true}
	for _, w := range slices.Concat(TopLevel, InDevice) {
		all[w] = true
	}
	return all
}()

// console, speaks, port, factory and the words of facts start a statement of a device that has
// no port of that name: names of ports and uses that people had before they were words.
const (
	console   = "console"
	speaks    = "speaks"
	ofPort    = "port"
	ofFactory = "factory"
)

// young says whether a word is one of those.
func young(word string) bool {
	return word == console || word == speaks || word == ofPort || word == ofFactory || office.FactNamed(word, office.DeviceFact|office.PortFact) != nil
}

// ofDevice says whether a word starts a statement of a device, and not a list of
// its ports.
func ofDevice(tok token, device *office.Device) bool {
	return tok.kind == word && (keywords[tok.text] && tok.text != "last" || young(tok.text) && device.Port(tok.text) < 0)
}

// Keywords lists them.
//
//	> device vlan switch; ports 1-4
//	! column 8: vlan is a word of the notation and cannot name a device
func Keywords() []string {
	all := []string{"last"}
	return append(append(all, TopLevel...), InDevice...)
}

// either is words as a choice: "bridge, routed or grouped".
func either[T ~string](words []T) string {
	text := make([]string, len(words))
	for i, w := range words {
		text[i] = string(w)
	}
	last := len(text) - 1
	return fmt.Sprintf("%s or %s", strings.Join(text[:last], ", "), text[last])
}
