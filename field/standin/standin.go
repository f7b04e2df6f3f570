// Package standin plays the devices of an office on loopback: each answers SNMP v2c
// on a port of its own as a switch of its kind would, with the habits of its
// wording, what it refuses, what it forgets at a power cut, the network cards that
// frames bring it and the devices that it hears over its cables. The packets are
// read and written by the SNMP library; what is in them is ours.
package standin

import (
	"context"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"net"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gosnmp/gosnmp"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/field/mib"
	"klammer/mishap"
)

// SaveObject is the object that a stand-in saves by, set to 1.
const SaveObject = mib.StandInSave

// Options say how stand-ins behave; the zero Options are quick, complete and
// lenient.
type Options struct {
	Communities []string        // that are answered; nil: public and private
	Delay       time.Duration   // before each answer
	Loss        float64         // the share of requests that get lost, 0 to 1
	ReadOnly    map[string]bool // devices that refuse to be set
	Without     map[string]bool // tables that nobody has, by the OID of a column or of what is above it
	Short       bool            // PortLists end at the last port that is in them
	NoBulk      bool            // a set of more than one object is refused
	Spoil       Spoil           // what a broken agent makes of its answers
}

// Spoil makes an answer worse than it is, before it is sent.
type Spoil func(device string, answer []gosnmp.SnmpPDU) []gosnmp.SnmpPDU

// Network is stand-ins that play one office together.
type Network struct {
	opt     Options
	mu      sync.Mutex
	plan    *office.Office // fronts, cables, plugs; ports as they run
	n       *span.Net
	devices []*device
	learnt  [][]card // by device
	stale   bool     // learnt is older than the office
	rand    *rand.Rand
	wg      mishap.Group
	slow    atomic.Int64 // as Options.Delay, from somewhen on
}

// device is one that is played.
type device struct {
	net       *Network
	i         int // in the office
	word      *wording.Device
	running   wording.State
	saved     wording.State
	rows      []row // of running
	savedRows []row
	names     map[office.VID]string
	started   time.Time
	conn      net.PacketConn
	view      []entry // nil where it is to be made anew
	requests  int
}

// Slow has all devices take their time before each answer, from now on.
func (w *Network) Slow(by time.Duration) { w.slow.Store(int64(by)) }

// card is a network card that a device has learnt.
type card struct {
	mac  office.MAC
	port int
	vid  office.VID
}

// Listener is where a device listens.
type Listener struct {
	Device string `json:"device"`
	Speaks string `json:"speaks"`
	At     string `json:"at"`
}

// Start plays the devices of an office as they are in asIs (nil: as planned); one
// that asIs does not have is there as planned, and nothing is plugged into it. Each listens on loopback, the first
// at the port (0: any), each other at the next that is free; a device that the
// office says speaks SNMP at a loopback address listens there. They end with the
// context; [Network.Wait] waits for that.
func Start(ctx context.Context, o, asIs *office.Office, port int, opt Options) (*Network, []Listener, error) {
	if opt.Communities == nil {
		opt.Communities = []string{"public", "private"}
	}
	if asIs != nil {
		o = together(o, asIs)
	}
	w := &Network{opt: opt, plan: o, stale: true, rand: rand.New(rand.NewPCG(1, 2)), n: span.Compile(o)}
	now := time.Now()
	for i, d := range o.Devices {
		x := &device{net: w, i: i, word: wording.For(w.n, i), started: now, names: map[office.VID]string{}}
		if !d.Unaware() {
			x.running = wording.Planned(w.n, i)
			for v := range x.running.VLANs.All() {
				if vlan := o.VLAN(v); vlan != nil {
					x.names[v] = vlan.Name
				}
			}
			x.rows = rowsOf(x.word, x.running)
			x.saved, x.savedRows = x.running, x.rows
			if err := w.take(x); err != nil {
				return nil, nil, err
			}
		}
		w.devices = append(w.devices, x)
	}
	ctx, cancel := context.WithCancel(ctx)
	var out []Listener
	for i, x := range w.devices {
		conn, err := listen(o.Devices[i], &port)
		if err != nil {
			cancel()
			w.wg.Wait()
			return nil, nil, fmt.Errorf("%s: %w", o.Devices[i].Name, err)
		}
		x.conn = conn
		out = append(out, Listener{o.Devices[i].Name, "snmp", conn.LocalAddr().String()})
		w.wg.Go(x.serve)
		context.AfterFunc(ctx, func() { conn.Close() })
	}
	w.wg.Go(func() {
		<-ctx.Done()
		cancel()
	})
	return w, out, nil
}

// Wait waits until all have ended.
func (w *Network) Wait() { w.wg.Wait() }

// listen opens a device's port.
func listen(d *office.Device, port *int) (net.PacketConn, error) {
	for _, s := range d.Speaks {
		if s.Protocol != office.SNMP || s.At == "" {
			continue
		}
		host, at, err := office.HostPort(s.At, 161)
		if ip := net.ParseIP(host); err == nil && ip != nil && ip.IsLoopback() {
			return net.ListenPacket("udp", net.JoinHostPort(host, fmt.Sprint(at)))
		}
	}
	if *port == 0 {
		return net.ListenPacket("udp", "127.0.0.1:0")
	}
	var last error
	for range 1000 {
		conn, err := net.ListenPacket("udp", fmt.Sprintf("127.0.0.1:%d", *port))
		*port++
		if err == nil {
			return conn, nil
		}
		last = err
	}
	return nil, last
}

// together is an office as it is, with the devices that only the plan has, in the
// plan's order.
func together(plan, asIs *office.Office) *office.Office {
	out := *asIs
	out.Devices = nil
	for _, d := range plan.Devices {
		if x := asIs.Device(d.Name); x != nil {
			out.Devices = append(out.Devices, x)
			continue
		}
		out.Devices = append(out.Devices, spelledOut(plan, d))
	}
	for _, d := range asIs.Devices {
		if plan.Device(d.Name) == nil {
			out.Devices = append(out.Devices, d)
		}
	}
	return &out
}

// spelledOut is a device whose ports say themselves what they are set to.
func spelledOut(o *office.Office, d *office.Device) *office.Device {
	x := d.Clone()
	x.Follows = ""
	for p := range x.Ports {
		shape, _ := o.Effective(d, p)
		x.Ports[p].Shape, x.Ports[p].Because = shape, ""
	}
	return x.Seal()
}

// take puts what a device runs into the office that all play.
func (w *Network) take(x *device) error {
	next, err := found.As(w.n, map[int]wording.State{x.i: x.running})
	if err != nil {
		return err
	}
	w.n = w.n.Update(next)
	w.stale = true
	for _, d := range w.devices {
		d.view = nil
	}
	return nil
}

// find is a device by its name.
func (w *Network) find(name string) (*device, error) {
	i := slices.IndexFunc(w.plan.Devices, func(d *office.Device) bool { return d.Name == name })
	if i < 0 {
		return nil, fmt.Errorf("no device is named %s", name)
	}
	return w.devices[i], nil
}

// PowerCut takes the power from a device and gives it back: it runs what it had
// saved.
func (w *Network) PowerCut(name string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	x, err := w.find(name)
	if err != nil {
		return err
	}
	x.running, x.rows, x.started = x.saved, x.savedRows, time.Now()
	if x.word == nil {
		return nil
	}
	return w.take(x)
}

// Set has somebody else set a port, at the device itself.
func (w *Network) Set(name, port, shape string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	x, err := w.find(name)
	if err != nil {
		return err
	}
	s, err := notation.ReadShape(shape)
	p := w.n.Office.Devices[x.i].Port(port)
	if err != nil || p < 0 {
		return fmt.Errorf("%s has no port %s that can be %s", name, port, shape)
	}
	x.running = x.running.With(p, wording.Of(&s)).Knowing(x.running.VLANs)
	x.rows = slices.Clone(x.rows)
	x.rows[p] = rowOf(x.word, &x.running.Ports[p])
	return w.take(x)
}

// Requests is how many requests a device has answered.
func (w *Network) Requests(name string) int {
	w.mu.Lock()
	defer w.mu.Unlock()
	if x, err := w.find(name); err == nil {
		return x.requests
	}
	return 0
}

// Running is the office as all run now.
func (w *Network) Running() *office.Office {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.n.Office
}

// Card is the address of the network card of something that has none said: of its
// own, always the same (IEEE 802, locally administered).
func Card(name string) office.MAC {
	h := fnv.New32a()
	h.Write([]byte(name))
	s := h.Sum32()
	mac, _ := office.MACOf([]byte{2, 0, byte(s >> 24), byte(s >> 16), byte(s >> 8), byte(s)})
	return mac
}

// ByHand has a person set a device as it is in an office: its bundles and inner ports too,
// which nobody sets over a protocol. What was saved stays as it was.
func (w *Network) ByHand(name string, then *office.Office) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	x, err := w.find(name)
	d := then.Device(name)
	if err != nil || d == nil || x.word == nil {
		return err
	}
	draft := office.NewDraft(w.n.Office)
	if err := draft.PutDevice(spelledOut(then, d)); err != nil {
		return fmt.Errorf("the stand-in for %s cannot be set so: %w", name, err)
	}
	o, _ := draft.Done()
	before := *x
	w.n = w.n.Update(o)
	x.word = wording.For(w.n, x.i)
	there := span.Compile(then)
	x.running = wording.Planned(there, there.Topo.DeviceIndex(name))
	x.rows = rowsOf(x.word, x.running)
	if len(x.saved.Ports) != len(x.running.Ports) { // what it had saved had other bundles
		x.saved, x.savedRows = x.running, x.rows
	}
	if err := w.take(x); err != nil {
		*x = before
		return err
	}
	return nil
}
