package field

import (
	"bytes"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/found"
	"klammer/core/office"
)

// handServer is a program of a host that hands addresses out.
type handServer struct {
	kind string // "dnsmasq" or "kea-dhcp4"
	pid  int
	argv []string

	files  map[string][]string // of dnsmasq: the lines of its files
	order  []string
	socket string // of Kea: where it is asked
}

// askServers lists what hands out in the host's own network, with what it was started by, a
// mark before each. Which namespace a process is in, root alone sees of others: one that is not
// seen counts as here. What an ordinary user runs is no server.
func askServers(mark string) string {
	return `sh -c 'for d in /proc/[0-9]*; do n=; read -r n <$d/comm 2>/dev/null; case "$n" in dnsmasq|kea-dhcp4) ;; *) continue;; esac; a=$(readlink $d/ns/net 2>/dev/null); [ -z "$a" ] || [ "$a" = "$(readlink /proc/self/ns/net)" ] || continue; u=$(stat -c %u $d) && { [ "$u" -lt 1000 ] || [ "$u" = 65534 ]; } || continue; echo "` + mark + `$n ${d#/proc/}"; tr "\0" "\n" <$d/cmdline; done; true'`
}

// newMark is what stands before a part of what a host prints: nobody there can write it.
var newMark = func() string { return "=" + rand.Text() + " " }

// mostServed bounds the files of a server that are read.
const mostServed = 64

// askHandouts reads what a host hands out: dnsmasq's files, or Kea's.
func (x *Router) askHandouts(root func(command string) ([]byte, error), socket func(name string) (net.Conn, error)) error {
	mark := newMark()
	out, err := root(askServers(mark))
	var no *Refused
	if errors.As(err, &no) {
		x.noHandouts = true
		x.NotTold = append(x.NotTold, "what it hands out: "+no.Error())
		return nil
	} else if err != nil {
		return err
	}
	var all []*handServer
	for line := range strings.Lines(string(out)) {
		line = strings.TrimSuffix(line, "\n")
		if head, ok := strings.CutPrefix(line, mark); ok {
			kind, pid, _ := strings.Cut(head, " ")
			server := &handServer{kind: kind, files: map[string][]string{}}
			server.pid, _ = strconv.Atoi(pid)
			all = append(all, server)
		} else if len(all) > 0 && len(all[len(all)-1].argv) < 1000 {
			server := all[len(all)-1]
			server.argv = append(server.argv, line)
		}
	}
	all = slices.DeleteFunc(all, func(server *handServer) bool {
		return len(server.argv) == 0 || server.kind != "dnsmasq" && server.kind != "kea-dhcp4" // which ended, or was not asked for
	})
	all = slices.CompactFunc(all, func(a, b *handServer) bool { return a.kind == b.kind && slices.Equal(a.argv, b.argv) }) // one and its helper
	for _, server := range all {
		switch {
		case x.Server != nil:
			x.Unsaid = append(x.Unsaid, fmt.Sprintf("%s and %s run both: which of them hands out is not read", x.Server.kind, server.kind))
			continue
		case server.kind == "dnsmasq":
			err = x.askDnsmasq(server, root)
		default:
			err = x.askKea(server, root, socket)
		}
		if errors.As(err, &no) {
			x.noHandouts = true
			x.NotTold = append(x.NotTold, "what "+server.kind+" hands out: "+no.Error())
		} else if err != nil {
			return err
		}
		x.Server = server
	}
	return nil
}

// path is a file's name that a shell takes as one word.
var path = regexp.MustCompile(`^/[A-Za-z0-9_./+@-]+$`)

// askDnsmasq reads dnsmasq's files (dnsmasq(8)): one, and what it names.
func (x *Router) askDnsmasq(server *handServer, root func(command string) ([]byte, error)) error {
	lines := dnsmasqLines(server.argv)
	if err := dnsmasqFiles(server, lines, root); err != nil {
		return err
	}
	ranges := &dnsmasqRanges{gateways: map[string]netip.Addr{}}
	for _, line := range lines {
		ranges.take("its command line", line)
	}
	for _, file := range server.order {
		for i, line := range server.files[file] {
			if code, _, _ := strings.Cut(line, "#"); strings.TrimSpace(code) != "" {
				ranges.take(fmt.Sprintf("%s:%d", file, i+1), code)
			}
		}
	}
	for _, one := range ranges.all {
		if one.Gateway = ranges.gateways[one.tag]; !one.Gateway.IsValid() {
			one.Gateway = ranges.gateways[""]
		}
		x.Handouts = append(x.Handouts, one.Handout)
	}
	return nil
}

// dnsmasqLines is a command line's options as they would stand in a file.
func dnsmasqLines(argv []string) (lines []string) {
	short := map[string]string{"-C": "conf-file", "-7": "conf-dir", "-F": "dhcp-range", "-O": "dhcp-option"}
	for i := 1; i < len(argv); i++ {
		word := argv[i]
		if long := short[word]; long != "" && i+1 < len(argv) {
			i++
			lines = append(lines, long+"="+argv[i])
		} else if long := short[word[:min(2, len(word))]]; long != "" {
			lines = append(lines, long+"="+word[2:])
		} else if long, ok := strings.CutPrefix(word, "--"); ok {
			lines = append(lines, long)
		}
	}
	return lines
}

// dnsmasqFiles reads the files that lines name, and what those name, three deep; without
// any, the one that it takes by itself.
func dnsmasqFiles(server *handServer, lines []string, root func(command string) ([]byte, error)) error {
	files, dirs := dnsmasqNamed(lines)
	if len(files) == 0 {
		files = append(files, "/etc/dnsmasq.conf")
	}
	mark := newMark()
	for deep := 0; deep < 3 && len(files)+len(dirs) > 0; deep++ {
		var want []string
		for _, file := range files {
			if path.MatchString(file) && server.files[file] == nil && len(want)+len(server.order) < mostServed {
				want = append(want, file)
			}
		}
		for _, dir := range dirs {
			if path.MatchString(dir) {
				want = append(want, strings.TrimSuffix(dir, "/")+"/*")
			}
		}
		out, err := root(`sh -c 'for f in ` + strings.Join(want, " ") + `; do case "$f" in *~|*.bak|*.dpkg-*|*/README) continue;; esac; [ -f "$f" ] || continue; echo "` + mark + `$f"; cat "$f" || exit 1; echo; done'`)
		if err != nil {
			return err
		}
		server.split(string(out), mark)
		files, dirs = nil, nil
		for _, file := range server.order {
			more, in := dnsmasqNamed(server.files[file])
			files, dirs = append(files, more...), append(dirs, in...)
		}
		files = slices.DeleteFunc(files, func(file string) bool { return server.files[file] != nil })
	}
	return nil
}

// dnsmasqNamed is the files and folders that lines name.
func dnsmasqNamed(lines []string) (files, dirs []string) {
	for _, line := range lines {
		key, value, _ := strings.Cut(line, "=")
		switch name, _, _ := strings.Cut(strings.TrimSpace(value), ","); strings.TrimSpace(key) {
		case "conf-file":
			files = append(files, name)
		case "conf-dir":
			dirs = append(dirs, name)
		}
	}
	return files, dirs
}

// split takes files out of what was printed of them, each behind a line with a mark and its
// name.
func (s *handServer) split(out, mark string) {
	name := ""
	for line := range strings.Lines(out) {
		line = strings.TrimSuffix(line, "\n")
		if file, ok := strings.CutPrefix(line, mark); ok {
			if name = file; !path.MatchString(file) {
				name = ""
				continue
			}
			if s.files[name] == nil {
				s.order = append(s.order, name)
			}
			s.files[name] = []string{}
		} else if name != "" {
			s.files[name] = append(s.files[name], line)
		}
	}
}

// dnsmasqRanges is what is handed out, and by whom it is sent on, joined by a tag.
type dnsmasqRanges struct {
	gateways map[string]netip.Addr // by tag
	all      []struct {
		Handout
		tag string
	}
}

// take takes a line in, where it says of either; where is its place.
func (r *dnsmasqRanges) take(where, line string) {
	key, value, _ := strings.Cut(strings.TrimSpace(line), "=")
	words := strings.Split(value, ",")
	tag := ""
	for len(words) > 0 && strings.Contains(words[0], ":") && !strings.HasPrefix(words[0], "option:") && strings.Count(words[0], ":") == 1 {
		if _, name, _ := strings.Cut(words[0], ":"); tag == "" || strings.HasPrefix(words[0], "set:") {
			tag = name
		}
		words = words[1:]
	}
	switch strings.TrimSpace(key) {
	case "dhcp-range":
		if len(words) < 2 {
			return
		}
		from, err1 := netip.ParseAddr(strings.TrimSpace(words[0]))
		to, err2 := netip.ParseAddr(strings.TrimSpace(words[1]))
		if err1 == nil && from.Is4() && err2 == nil {
			r.all = append(r.all, struct {
				Handout
				tag string
			}{Handout{From: from, To: to, At: where}, tag})
		}
	case "dhcp-option":
		if len(words) == 2 && slices.Contains([]string{"3", "option:router"}, strings.TrimSpace(words[0])) {
			if addr, err := netip.ParseAddr(strings.TrimSpace(words[1])); err == nil {
				r.gateways[tag] = addr
			}
		}
	}
}

// askKea asks kea-dhcp4 over its control socket by what it runs; where that cannot be opened,
// its file says, in which comments may stand.
func (x *Router) askKea(server *handServer, root func(command string) ([]byte, error), socket func(name string) (net.Conn, error)) error {
	file := "/etc/kea/kea-dhcp4.conf"
	for i, w := range server.argv {
		if w == "-c" && i+1 < len(server.argv) {
			file = server.argv[i+1]
		}
	}
	if !path.MatchString(file) {
		return &Refused{"kea-dhcp4", fmt.Sprintf("its file %q is not one that is read", plain(file))}
	}
	out, err := root("cat " + file)
	if err != nil {
		return err
	}
	server.order = []string{file}
	if err := x.keaConfig(server, uncommented(out)); err != nil || socket == nil || server.socket == "" {
		return err
	}
	runs, err := keaAsks(socket, server.socket, "config-get", nil)
	if err != nil { // whoever logs in may not
		x.Unsaid = append(x.Unsaid, "what kea-dhcp4 hands out is read from "+file+", as "+err.Error())
		return nil
	}
	text, err := json.Marshal(runs)
	if err != nil {
		return err
	}
	return x.keaConfig(server, text)
}

// keaAsks has Kea do something over its control socket, and gives what it answers.
func keaAsks(socket func(name string) (net.Conn, error), name, command string, arguments any) (map[string]any, error) {
	conn, err := socket(name)
	if err != nil {
		return nil, &Refused{"kea-dhcp4", fmt.Sprintf("its control socket %s cannot be opened by who logs in (%s)", plain(name), plain(err.Error()))}
	}
	defer conn.Close()
	msg := map[string]any{"command": command}
	if arguments != nil {
		msg["arguments"] = arguments
	}
	if err := json.NewEncoder(conn).Encode(msg); err != nil {
		return nil, err
	}
	var answer struct {
		Result    int
		Text      string
		Arguments map[string]any
	}
	if err := json.NewDecoder(conn).Decode(&answer); err != nil {
		return nil, &Refused{"kea-dhcp4", "its answer cannot be read: " + plain(err.Error())}
	}
	if answer.Result != 0 {
		return nil, &Refused{"kea-dhcp4 " + command, plain(answer.Text)}
	}
	return answer.Arguments, nil
}

// keaConfig reads the file of a DHCP server for its pools and the gateway that each tells (option
// 3, RFC 2132); an option of a subnet goes before one of all.
func (x *Router) keaConfig(server *handServer, text []byte) error {
	if err := believable(text); err != nil {
		return &Refused{"kea-dhcp4", err.Error()}
	}
	var c struct {
		Dhcp4 struct {
			Socket struct {
				Name string `json:"socket-name"`
			} `json:"control-socket"`
			Options []keaOption `json:"option-data"`
			Subnets []struct {
				Subnet string
				Pools  []struct {
					Pool string
				}
				Options []keaOption `json:"option-data"`
			} `json:"subnet4"`
		}
	}
	if err := json.Unmarshal(text, &c); err != nil {
		return &Refused{"kea-dhcp4", "its file cannot be read: " + plain(err.Error())}
	}
	server.socket = c.Dhcp4.Socket.Name
	x.Handouts = nil
	for _, n := range c.Dhcp4.Subnets {
		for _, p := range n.Pools {
			a, b, two := strings.Cut(p.Pool, "-")
			from, err1 := netip.ParseAddr(strings.TrimSpace(a))
			to, err2 := netip.ParseAddr(strings.TrimSpace(b))
			if prefix, err := netip.ParsePrefix(strings.TrimSpace(p.Pool)); !two && err == nil {
				from, to, err1, err2 = prefix.Masked().Addr(), office.LastOf(prefix), nil, nil
			}
			if err1 == nil && err2 == nil {
				handout := Handout{From: from, To: to, At: plain(n.Subnet)}
				for _, option := range slices.Concat(c.Dhcp4.Options, n.Options) {
					if addr, err := netip.ParseAddr(option.Data); option.Name == "routers" && err == nil {
						handout.Gateway = addr
					}
				}
				x.Handouts = append(x.Handouts, handout)
			}
		}
	}
	return nil
}

type keaOption struct{ Name, Data string }

// uncommented is JSON without the comments that Kea allows, as long as it was.
func uncommented(text []byte) []byte {
	out := bytes.Clone(text)
	quoted := false
	for i := 0; i < len(out); i++ {
		end := 0
		switch {
		case quoted && out[i] == '\\':
			i++
			continue
		case out[i] == '"':
			quoted = !quoted
		case quoted:
		case out[i] == '#' || bytes.HasPrefix(out[i:], []byte("//")):
			if end = bytes.IndexByte(out[i:], '\n'); end < 0 {
				end = len(out) - i
			}
		case bytes.HasPrefix(out[i:], []byte("/*")):
			if end = bytes.Index(out[i:], []byte("*/")) + 2; end < 2 {
				end = len(out) - i
			}
		}
		for k := i; k < i+end; k++ {
			if out[k] != '\n' {
				out[k] = ' '
			}
		}
	}
	return out
}

// handsOut puts what is handed out to the addresses in whose subnets it is.
func (x *Router) handsOut(out *found.Routing, unsaid func(string, ...any)) {
	for i := range out.Addresses {
		out.Addresses[i].From, out.Addresses[i].To = netip.Addr{}, netip.Addr{}
	}
	for _, handout := range x.Handouts {
		k := slices.IndexFunc(out.Addresses, func(address office.Address) bool { return address.Prefix.Contains(handout.From) })
		if k < 0 {
			unsaid("it hands out %s-%s (%s), where it has no address", handout.From, handout.To, handout.At)
			continue
		}
		other := &out.Addresses[k]
		if other.From.IsValid() {
			unsaid("it hands out %s-%s as well (%s)", handout.From, handout.To, handout.At)
			continue
		}
		other.From, other.To = handout.From, handout.To
		if handout.Gateway.IsValid() && handout.Gateway != other.Prefix.Addr() {
			unsaid("with %s-%s it hands out the gateway %s, and its own address there is %s", handout.From, handout.To, handout.Gateway, other.Prefix.Addr())
		}
	}
}
