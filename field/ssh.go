package field

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/ssh"

	"klammer/core/office"
	"klammer/core/wording"
)

// host is a Linux host that is spoken to by SSH: what its own iproute2 prints as
// JSON, and its own commands.
type host struct {
	client *ssh.Client
	line   *line
	at     string
	device string
	cred   *Credentials
	runs   int
	who    string   // its number there, once it was asked
	read   *Reading // that was read last
}

// hostKeys is the kinds of keys that a host may have. It shows one of a kind that it is asked
// for; which kind was pinned, a fingerprint does not say.
var hostKeys = [][]string{
	{ssh.KeyAlgoED25519},
	{ssh.KeyAlgoECDSA256, ssh.KeyAlgoECDSA384, ssh.KeyAlgoECDSA521},
	{ssh.KeyAlgoRSASHA512, ssh.KeyAlgoRSASHA256},
}

// kindOfKey is where in [hostKeys] the kind of a key is, by its fingerprint, once it was shown.
var kindOfKey sync.Map

// dialSSH connects. The key of the host is one that its credentials say; where
// they say none, the host is not spoken to, and its keys are told.
//
// Many branches: each thing that may be missing or refused has a message of its own.
func dialSSH(ctx context.Context, at, device string, cred *Credentials) (*host, error) {
	name, port, err := office.HostPort(at, 22)
	if err != nil {
		return nil, err
	}
	if cred == nil || cred.User == "" {
		return nil, fmt.Errorf("ssh at %s: a user with a password or a key is missing: name credentials, as in speaks ssh with hosts", at)
	}
	timeout, _, err := cred.patience()
	if err != nil {
		return nil, err
	}
	config := &ssh.ClientConfig{User: cred.User, Timeout: max(timeout, 5*time.Second)}
	if cred.Key != "" {
		signer, err := ssh.ParsePrivateKey([]byte(cred.Key))
		if err != nil {
			return nil, fmt.Errorf("ssh at %s: the private key of %s cannot be read: a key without a passphrase, PEM", at, cred.User)
		}
		config.Auth = append(config.Auth, ssh.PublicKeys(signer))
	}
	if cred.Password != "" {
		config.Auth = append(config.Auth, ssh.Password(cred.Password))
	}
	if len(config.Auth) == 0 {
		return nil, fmt.Errorf("ssh at %s: %s has neither a password nor a key", at, cred.User)
	}
	where := net.JoinHostPort(name, strconv.Itoa(int(port)))
	known := false
	var shown []string // keys that are none of those that were pinned
	config.HostKeyCallback = func(_ string, _ net.Addr, key ssh.PublicKey) error {
		is := ssh.FingerprintSHA256(key)
		if is == cred.HostKey {
			known = true
			return nil
		}
		shown = append(shown, is)
		return errors.New("not the host's key")
	}
	first, _ := kindOfKey.Load(cred.HostKey)
	kinds := slices.Clone(hostKeys)
	if at, ok := first.(int); ok { // what was found once is not looked for again: some hosts count that against us
		kinds = append([][]string{hostKeys[at]}, slices.Delete(kinds, at, at+1)...)
	}
	for _, config.HostKeyAlgorithms = range kinds {
		host, err := greetSSH(ctx, where, config)
		if known {
			kindOfKey.Store(cred.HostKey, slices.IndexFunc(hostKeys, func(k []string) bool { return k[0] == config.HostKeyAlgorithms[0] }))
		}
		if err == nil {
			host.device, host.cred = device, cred
			return host, nil
		}
		var none *ssh.AlgorithmNegotiationError
		if known || len(shown) == 0 && !errors.As(err, &none) || ctx.Err() != nil { // it is not for its key
			if strings.Contains(err.Error(), "unable to authenticate") {
				return nil, fmt.Errorf("ssh at %s: %s is refused: is the password or the key another there, or may this user not log in?", where, cred.User)
			}
			if errors.Is(err, errSilent) {
				return nil, err
			}
			if errors.Is(err, io.EOF) || strings.Contains(err.Error(), "EOF") {
				return nil, fmt.Errorf("ssh at %s closes the connection before it says who it is: after attempts that failed some hosts refuse an address for a while", where)
			}
			return nil, fmt.Errorf("ssh at %s as %s: %s", where, cred.User, cred.Hide(err.Error()))
		}
	}
	switch {
	case len(shown) == 0:
		return nil, fmt.Errorf("the host at %s has no key of a kind that is asked for (ed25519, ecdsa, rsa with SHA-2)", where)
	case cred.HostKey == "":
		return nil, fmt.Errorf("the host at %s shows the key %s: if that is its own (ssh-keygen -lf on it), keep it as host_key of the credentials", at, strings.Join(shown, ", or "))
	}
	return nil, fmt.Errorf("the host at %s shows the key %s, and %s was kept: it is another host, or was set up anew. Nothing was sent to it", at, strings.Join(shown, ", or "), cred.HostKey)
}

var errSilent = errors.New("nothing answers")

// greetSSH dials and shakes hands, with a deadline of its own: a server that takes the connection
// and says nothing must not hold up the round. errSilent where nobody takes it.
func greetSSH(ctx context.Context, where string, config *ssh.ClientConfig) (*host, error) {
	dial := net.Dialer{Timeout: config.Timeout}
	conn, err := dial.DialContext(ctx, "tcp", where)
	if err != nil {
		return nil, fmt.Errorf("%w ssh at %s: %w", errSilent, where, err)
	}
	_ = conn.SetDeadline(time.Now().Add(2 * config.Timeout)) // of greeting and keys
	line := newLine(conn)
	one, chans, reqs, err := ssh.NewClientConn(line, where, config)
	if err != nil {
		_ = conn.Close()
		return nil, err
	}
	_ = conn.SetDeadline(time.Time{})
	return &host{client: ssh.NewClient(one, chans, reqs), line: line, at: where}, nil
}

func (h *host) Close() error { return h.client.Close() }

func (h *host) wire() *line { return h.line }

// run runs one command, with something on its input. What it may print, and for how long, is
// bounded by the line.
func (h *host) run(ctx context.Context, command, input string) ([]byte, error) {
	session, err := h.client.NewSession()
	if err != nil {
		return nil, fmt.Errorf("ssh at %s: %w", h.at, err)
	}
	defer session.Close()
	var out, wrong bytes.Buffer
	session.Stdout, session.Stderr = &out, &wrong
	session.Stdin = strings.NewReader(input)
	h.runs++
	if err := session.Run(`PATH="$PATH:/usr/sbin:/sbin"; ` + command); err != nil { // which who is not root may lack
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		var ended *ssh.ExitError
		if !errors.As(err, &ended) { // it did not say how it ended
			return nil, fmt.Errorf("ssh at %s: the connection was lost while %s ran: %w", h.at, strings.Fields(command)[0], err)
		}
		words := plain(clipped(wrong.String())) // on one line
		if words == "" {
			words = err.Error()
		}
		return nil, &Refused{command, words}
	}
	return out.Bytes(), nil
}

// socket opens a socket of the host's own file system, as who is logged in.
func (h *host) socket(name string) (net.Conn, error) { return h.client.Dial("unix", name) }

// usual is what every host is asked, in one go.
var usual = []string{"id -u", "hostname", "ip -json -details link show", "bridge -json vlan show", "bridge -json fdb show", "ip -json address show", "cat /proc/sys/net/ipv4/ip_forward", "ip -json route show", "ip -json -6 route show", "ip -json rule show"}

// printed is what a command printed, or why it did not.
type printed struct {
	out []byte
	err error
}

// asked runs several commands in one session, each for itself: a host pays for a session more
// than for what is asked in it. What of them is not there was not answered: a shell that is
// not one takes them one by one.
func (h *host) asked(ctx context.Context, commands []string) (map[string]printed, error) {
	mark := newMark()
	var script strings.Builder
	script.WriteString("exec 3>&1\n")
	for i, c := range commands {
		fmt.Fprintf(&script, "printf '%s%d\\n'; e=$( { %s; } 2>&1 1>&3 ); printf '\\n%sended %%d %%s\\n' \"$?\" \"$e\"\n", mark, i, c, mark)
	}
	out, err := h.run(ctx, "sh -s", script.String())
	var no *Refused
	if errors.As(err, &no) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	said := map[string]printed{}
	for i, c := range commands {
		_, rest, ok := bytes.Cut(out, fmt.Appendf(nil, "%s%d\n", mark, i))
		text, end, over := bytes.Cut(rest, []byte("\n"+mark+"ended "))
		if !ok || !over {
			continue
		}
		end, _, _ = bytes.Cut(end, []byte("\n"+mark))
		status, wrong, _ := strings.Cut(string(end), " ")
		if status == "0" {
			said[c] = printed{out: text}
		} else {
			said[c] = printed{err: &Refused{c, plain(clipped(wrong))}}
		}
	}
	return said, nil
}

// asRoot runs a command as root: as who is logged in, where that is root; else by sudo,
// without a password or with that of the credentials.
func (h *host) asRoot(ctx context.Context, command, input string) ([]byte, error) {
	if h.who == "" {
		who, err := h.run(ctx, "id -u", "")
		if err != nil {
			return nil, err
		}
		h.who = strings.TrimSpace(string(who))
	}
	if h.who == "0" {
		return h.run(ctx, command, input)
	}
	if _, err := h.run(ctx, "sudo -n true", ""); err == nil {
		return h.run(ctx, "sudo -n "+command, input)
	}
	program := strings.Fields(command)[0]
	_, err := h.run(ctx, "sudo -n -l "+program, "")
	if err == nil { // that one alone
		return h.run(ctx, "sudo -n "+command, input)
	}
	if h.cred != nil && h.cred.Password != "" {
		var out []byte
		if out, err = h.run(ctx, "sudo -k -S -p '' "+command, h.cred.Password+"\n"+input); err == nil {
			return out, nil
		}
	}
	return nil, &Refused{program, fmt.Sprintf("it is for root, and %s may not become that by sudo (%s): log in as root, or let %s run ip, bridge and nft, with a line in sudoers: %s ALL=(root) NOPASSWD: /usr/sbin/ip, /usr/sbin/bridge, /usr/sbin/nft",
		h.cred.User, h.cred.Hide(err.Error()), h.cred.User, h.cred.User)}
}

// link is what ip -json -details link prints of an interface.
type link struct {
	Index  int      `json:"ifindex"`
	Name   string   `json:"ifname"`
	Flags  []string `json:"flags"`
	State  string   `json:"operstate"`
	Master string   `json:"master"`
	Parent string   `json:"link"` // of one that is on another
	Info   struct {
		Kind  string `json:"info_kind"`
		Slave string `json:"info_slave_kind"`
		Data  struct {
			Filtering *int `json:"vlan_filtering"`
			ID        int  `json:"id"` // of a VLAN's
		} `json:"info_data"`
	} `json:"linkinfo"`
}

// Read asks for links, VLANs of bridges, addresses learnt, and its own addresses.
func (h *host) Read(ctx context.Context) (*Reading, error) {
	start, before := time.Now(), h.runs
	said, err := h.asked(ctx, usual)
	if err != nil {
		return nil, err
	}
	if who, ok := said["id -u"]; ok && who.err == nil {
		h.who = strings.TrimSpace(string(who.out))
	}
	reading, err := hostReading(h.at, h.device, func(command string) ([]byte, error) {
		if printed, ok := said[command]; ok {
			return printed.out, printed.err
		}
		return h.run(ctx, command, "")
	},
		func(command string) ([]byte, error) { return h.asRoot(ctx, command, "") }, h.socket)
	if err != nil {
		return nil, err
	}
	reading.Took, reading.Requests = time.Since(start), h.runs-before
	h.read = reading
	return reading, nil
}

// hostPorts takes in the ports of a host, and gives the place of each by its name.
func (r *Reading) hostPorts(links []link) map[string]int {
	places := map[string]int{}
	for _, link := range links {
		if link.Name == "lo" {
			continue
		}
		places[link.Name] = len(r.Ports)
		port := Port{Name: plain(link.Name), Index: link.Index, Shut: !slices.Contains(link.Flags, "UP"), Inner: link.Info.Kind == "tun" || link.Info.Kind == "bridge" || link.Info.Kind == "vlan"}
		port.Link = map[string]string{"UP": "up", "DOWN": "down", "LOWERLAYERDOWN": "down"}[link.State]
		port.Set.Filter = true
		port.Self = link.Info.Kind == "bridge"
		port.Bridged = link.Info.Slave == "bridge" // in VLANs or in none: bridge vlan show leaves out what is in none
		r.Ports = append(r.Ports, port)
		if link.Info.Kind == "bridge" && link.Info.Data.Filtering != nil && *link.Info.Data.Filtering == 0 {
			r.wrong("the bridge %s has VLAN filtering off: it forwards every frame whatever its VLAN entries say", plain(link.Name))
		}
	}
	for _, link := range links {
		if link.Info.Slave == "bond" {
			if port, ok := places[link.Master]; ok {
				r.Ports[port].Members = append(r.Ports[port].Members, places[link.Name])
			}
		}
	}
	return places
}

// bridgePort is a port of a bridge with its VLANs, as bridge(8) tells of it.
type bridgePort struct {
	Name  string `json:"ifname"`
	VLANs []struct {
		From  int      `json:"vlan"`
		To    int      `json:"vlanEnd"`
		Flags []string `json:"flags"`
	} `json:"vlans"`
}

// bridgeVLANs takes in what VLANs ports are in, and gives all that were told of.
func (r *Reading) bridgeVLANs(vlans []bridgePort, places map[string]int) (known office.Set) {
	entries := make([]int, len(r.Ports)) // VLANs that were told, by place
	for _, x := range vlans {
		k, ok := places[x.Name]
		if !ok {
			continue
		}
		port := &r.Ports[k]
		port.Bridged = true
		for _, v := range x.VLANs {
			untagged, pvid := slices.Contains(v.Flags, "Egress Untagged"), slices.Contains(v.Flags, "PVID")
			for n := v.From; n <= max(v.From, v.To); n++ {
				vid, err := office.VIDOf(n)
				if err != nil {
					r.wrong("%s: %s", port.Name, err)
					break
				}
				if entries[k]++; entries[k] > 4094 { // each of the VLANs that there are, once
					r.wrong("%s: it tells of more VLANs there than there are: the others are left out", port.Name)
					break
				}
				known.Add(vid)
				if untagged {
					port.Set.Untagged.Add(vid)
				} else {
					port.Set.Tagged.Add(vid)
				}
				if pvid {
					port.Set.PVID = vid
				}
			}
			if entries[k] > 4094 {
				break
			}
		}
	}
	return known
}

// hostReading is what a host's commands print, as a reading.
//
// Many branches: one a command, of which each may not be there.
func hostReading(at, device string, run, root func(command string) ([]byte, error), socket func(name string) (net.Conn, error)) (*Reading, error) {
	reading := &Reading{Source: "ssh at " + at, Whole: true, NotTold: []Told{TellsNeighbours, TellsAdmit, TellsFilter}}
	ask := func(command string, into any) error {
		out, err := run(command)
		if err != nil {
			return err
		}
		if len(bytes.TrimSpace(out)) == 0 {
			return nil
		}
		if err := believable(out); err != nil {
			return fmt.Errorf("%s at %s: %w", command, at, err)
		}
		if err := json.Unmarshal(out, into); err != nil {
			return fmt.Errorf("%s at %s does not print JSON: is its iproute2 older than 4.14? (%w)", command, at, err)
		}
		return nil
	}
	if out, err := run("hostname"); err == nil {
		reading.Name = plain(string(out))
	}
	var links []link
	if err := ask("ip -json -details link show", &links); err != nil {
		return nil, err
	}
	places := reading.hostPorts(links)
	var vlans []bridgePort
	if err := ask("bridge -json vlan show", &vlans); err != nil {
		return nil, err
	}
	known := reading.bridgeVLANs(vlans, places)
	if len(vlans) == 0 && !slices.ContainsFunc(reading.Ports, func(port Port) bool { return port.Bridged }) {
		reading.NotTold = append(reading.NotTold, TellsVLANs)
	}
	oneBridge(reading, device, links, places)
	for vid := range known.All() {
		reading.VLANs = append(reading.VLANs, VLAN{VID: vid})
	}
	var fdb []struct {
		MAC   string   `json:"mac"`
		Name  string   `json:"ifname"`
		VLAN  int      `json:"vlan"`
		Flags []string `json:"flags"`
		State string   `json:"state"`
	}
	if err := ask("bridge -json fdb show", &fdb); err != nil {
		var no *Refused
		if !errors.As(err, &no) {
			return nil, err
		}
		reading.NotTold = append(reading.NotTold, TellsLearnt)
	}
	for _, x := range fdb {
		mac, err := office.ParseMAC(x.MAC)
		vid, wrong := office.VIDOf(x.VLAN)
		k, ok := places[x.Name]
		if err == nil && wrong == nil && ok && x.State != "permanent" && x.State != "static" && !slices.Contains(x.Flags, "self") {
			reading.Learnt = append(reading.Learnt, Learnt{mac, k, vid})
		}
	}
	var addresses []struct {
		Name string `json:"ifname"`
		Info []struct {
			Local  string `json:"local"`
			Length int    `json:"prefixlen"`
			Scope  string `json:"scope"`
		} `json:"addr_info"`
	}
	if err := ask("ip -json address show", &addresses); err != nil {
		return nil, err
	}
	for _, x := range addresses {
		for _, a := range x.Info {
			if ip, err := netip.ParseAddr(a.Local); err == nil && a.Scope == "global" {
				reading.Addresses = append(reading.Addresses, plain(x.Name)+" "+netip.PrefixFrom(ip, a.Length).String())
			}
		}
	}
	return reading, reading.askRouter(links, ask, run, root, socket)
}

// oneBridge takes one bridge of a host for the device: the one that is called so, or else the
// one with most ports. What is in another is told, and not taken for its.
func oneBridge(reading *Reading, device string, links []link, places map[string]int) {
	ports := map[string]int{}
	filters := map[string]bool{}
	for _, link := range links {
		if link.Info.Slave == "bridge" {
			ports[link.Master]++
		}
		if link.Info.Kind == "bridge" {
			filters[link.Name] = link.Info.Data.Filtering == nil || *link.Info.Data.Filtering != 0
		}
	}
	main := ""
	for name, n := range ports {
		if main == "" || name == device || main != device && (n > ports[main] || n == ports[main] && name < main) {
			main = name
		}
	}
	for _, link := range links {
		if link.Info.Slave != "bridge" {
			continue
		}
		port := &reading.Ports[places[link.Name]]
		switch on, known := filters[link.Master]; {
		case link.Master != main:
			port.Unsaid = fmt.Sprintf("port %s is in the bridge %s, and %s is what is taken for the device: frames do not pass between the two, so that %s is another device", port.Name, plain(link.Master), plain(main), plain(link.Master))
		case known && !on:
			port.Unsaid = fmt.Sprintf("port %s is in the bridge %s, which has VLAN filtering off: it is in no VLAN and in all, until somebody switches that on (ip link set %s type bridge vlan_filtering 1)", port.Name, plain(link.Master), plain(link.Master))
		}
	}
}

// cannotBe is why a port of a Linux bridge cannot be set so; "" where it can.
func cannotBe(to *wording.Setting) string {
	is := to.Members()
	switch {
	case to.Admit != office.AdmitAll || !to.Filter || len(to.Rides) > 0:
		return "a Linux bridge has no acceptable frames and no translation of a port, and filters all or none"
	case to.PVID != 0 && !is.Has(to.PVID):
		return "the PVID is an entry of the port: a VLAN that it is in"
	}
	return ""
}

// bridgeLines is what bridge(8) is told of a port: the entries that come, or change their
// flags, and those that go.
func bridgeLines(name, self string, from, to *wording.Setting) (add, del string) {
	var come, gone strings.Builder
	is := to.Members()
	for vid := range is.All() {
		if from.Untagged.Has(vid) == to.Untagged.Has(vid) && from.Tagged.Has(vid) == to.Tagged.Has(vid) && (from.PVID == vid) == (to.PVID == vid) {
			continue
		}
		flags := ""
		if to.PVID == vid {
			flags += " pvid"
		}
		if to.Untagged.Has(vid) {
			flags += " untagged"
		}
		fmt.Fprintf(&come, "vlan add dev %s vid %d%s%s\n", name, vid, flags, self)
	}
	was := from.Members()
	drop := was.Minus(&is)
	for vid := range drop.All() {
		fmt.Fprintf(&gone, "vlan del dev %s vid %d%s\n", name, vid, self)
	}
	return come.String(), gone.String()
}

// Set sends what changes as one batch to bridge, and shuts or opens ports with ip.
func (h *host) Set(ctx context.Context, device *office.Device, match Match, from, to wording.State) error {
	if h.read == nil {
		return errors.New("nothing was read of it yet")
	}
	var come, gone, links strings.Builder
	for port := range device.Ports {
		setting, other := &from.Ports[port], &to.Ports[port]
		if device.Ports[port].Bundle > 0 || match[port] < 0 || setting.Alike(other) {
			continue
		}
		name := h.read.Ports[match[port]].Name // which port is which was decided when it was read
		if !linkName(name) {
			return fmt.Errorf("%q is no name of an interface", name)
		}
		if why := h.read.Ports[match[port]].Unsaid; why != "" {
			return &Refused{"port " + device.Ports[port].Name, why}
		}
		self := ""
		if h.read.Ports[match[port]].Self {
			self = " self"
		}
		if setting.Off != other.Off {
			fmt.Fprintf(&links, "link set dev %s %s\n", name, map[bool]string{true: "down", false: "up"}[other.Off])
		}
		if other.Off {
			continue
		}
		if why := cannotBe(other); why != "" {
			return &Refused{"port " + name, why}
		}
		add, del := bridgeLines(name, self, setting, other)
		come.WriteString(add)
		gone.WriteString(del)
	}
	if list := rehearsing(ctx); list != nil {
		for line := range strings.Lines(come.String() + gone.String()) {
			*list = append(*list, "bridge "+strings.TrimSpace(line))
		}
		for line := range strings.Lines(links.String()) {
			*list = append(*list, "ip "+strings.TrimSpace(line))
		}
		return nil
	}
	if batch := come.String() + gone.String(); batch != "" {
		if _, err := h.asRoot(ctx, "bridge -batch -", batch); err != nil {
			return err
		}
	}
	if links.Len() > 0 {
		if _, err := h.asRoot(ctx, "ip -batch -", links.String()); err != nil {
			return err
		}
	}
	return nil
}

// linkName says whether a text can name an interface: nothing of it is read as
// another word.
func linkName(text string) bool {
	return text != "" && len(text) < 16 && strings.Trim(text, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789._-") == "" && text[0] != '-'
}
