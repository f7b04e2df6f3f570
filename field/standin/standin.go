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
	net     *span.Net
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
	dev       int // in the office
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
	network := &Network{opt: opt, plan: o, stale: true, rand: rand.New(rand.NewPCG(1, 2)), net: span.Compile(o)}
	now := time.Now()
	for i, one := range o.Devices {
		x := &device{net: network, dev: i, word: wording.For(network.net, i), started: now, names: map[office.VID]string{}}
		if !one.Unaware() {
			x.running = wording.Planned(network.net, i)
			for vid := range x.running.VLANs.All() {
				if vlan := o.VLAN(vid); vlan != nil {
					x.names[vid] = vlan.Name
				}
			}
			x.rows = rowsOf(x.word, x.running)
			x.saved, x.savedRows = x.running, x.rows
			if err := network.take(x); err != nil {
				return nil, nil, err
			}
		}
		network.devices = append(network.devices, x)
	}
	ctx, cancel := context.WithCancel(ctx)
	var out []Listener
	for i, device := range network.devices {
		conn, err := listen(o.Devices[i], &port)
		if err != nil {
			cancel()
			network.wg.Wait()
			return nil, nil, fmt.Errorf("%s: %w", o.Devices[i].Name, err)
		}
		device.conn = conn
		out = append(out, Listener{o.Devices[i].Name, "snmp", conn.LocalAddr().String()})
		network.wg.Go(device.serve)
		context.AfterFunc(ctx, func() { conn.Close() })
	}
	network.wg.Go(func() {
		<-ctx.Done()
		cancel()
	})
	return network, out, nil
}

// Wait waits until all have ended.
func (w *Network) Wait() { w.wg.Wait() }

// listen opens a device's port.
func listen(device *office.Device, port *int) (net.PacketConn, error) {
	for _, speaks := range device.Speaks {
		if speaks.Protocol != office.SNMP || speaks.At == "" {
			continue
		}
		host, at, err := office.HostPort(speaks.At, 161)
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
	for _, device := range plan.Devices {
		if other := asIs.Device(device.Name); other != nil {
			out.Devices = append(out.Devices, other)
			continue
		}
		out.Devices = append(out.Devices, spelledOut(plan, device))
	}
	for _, device := range asIs.Devices {
		if plan.Device(device.Name) == nil {
			out.Devices = append(out.Devices, device)
		}
	}
	return &out
}

// spelledOut is a device whose ports say themselves what they are set to.
func spelledOut(o *office.Office, device *office.Device) *office.Device {
	other := device.Clone()
	other.Follows = ""
	for port := range other.Ports {
		shape, _ := o.Effective(device, port)
		other.Ports[port].Shape, other.Ports[port].Because = shape, ""
	}
	return other.Seal()
}

// take puts what a device runs into the office that all play.
func (w *Network) take(device *device) error {
	next, err := found.As(w.net, map[int]wording.State{device.dev: device.running})
	if err != nil {
		return err
	}
	w.net = w.net.Update(next)
	w.stale = true
	for _, other := range w.devices {
		other.view = nil
	}
	return nil
}

// find is a device by its name.
func (w *Network) find(name string) (*device, error) {
	i := slices.IndexFunc(w.plan.Devices, func(device *office.Device) bool { return device.Name == name })
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
	device, err := w.find(name)
	if err != nil {
		return err
	}
	device.running, device.rows, device.started = device.saved, device.savedRows, time.Now()
	if device.word == nil {
		return nil
	}
	return w.take(device)
}

// Set has somebody else set a port, at the device itself.
func (w *Network) Set(name, port, shape string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	device, err := w.find(name)
	if err != nil {
		return err
	}
	one, err := notation.ReadShape(shape)
	p := w.net.Office.Devices[device.dev].Port(port)
	if err != nil || p < 0 {
		return fmt.Errorf("%s has no port %s that can be %s", name, port, shape)
	}
	device.running = device.running.With(p, wording.Of(&one)).Knowing(device.running.VLANs)
	device.rows = slices.Clone(device.rows)
	device.rows[p] = rowOf(device.word, &device.running.Ports[p])
	return w.take(device)
}

// Requests is how many requests a device has answered.
func (w *Network) Requests(name string) int {
	w.mu.Lock()
	defer w.mu.Unlock()
	if device, err := w.find(name); err == nil {
		return device.requests
	}
	return 0
}

// Running is the office as all run now.
func (w *Network) Running() *office.Office {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.net.Office
}

// Card is the address of the network card of something that has none said: of its
// own, always the same (IEEE 802, locally administered).
func Card(name string) office.MAC {
	hash32 := fnv.New32a()
	hash32.Write([]byte(name))
	s := hash32.Sum32()
	mac, _ := office.MACOf([]byte{2, 0, byte(s >> 24), byte(s >> 16), byte(s >> 8), byte(s)})
	return mac
}

// ByHand has a person set a device as it is in an office: its bundles and inner ports too,
// which nobody sets over a protocol. What was saved stays as it was.
func (w *Network) ByHand(name string, then *office.Office) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	device, err := w.find(name)
	one := then.Device(name)
	if err != nil || one == nil || device.word == nil {
		return err
	}
	draft := office.NewDraft(w.net.Office)
	if err := draft.PutDevice(spelledOut(then, one)); err != nil {
		return fmt.Errorf("the stand-in for %s cannot be set so: %w", name, err)
	}
	o, _ := draft.Done()
	before := *device
	w.net = w.net.Update(o)
	device.word = wording.For(w.net, device.dev)
	there := span.Compile(then)
	device.running = wording.Planned(there, there.Topo.DeviceIndex(name))
	device.rows = rowsOf(device.word, device.running)
	if len(device.saved.Ports) != len(device.running.Ports) { // what it had saved had other bundles
		device.saved, device.savedRows = device.running, device.rows
	}
	if err := w.take(device); err != nil {
		*device = before
		return err
	}
	return nil
}
