package field_test

import (
	"context"
	"fmt"
	"os"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/field"
	"klammer/field/mib"
	"klammer/field/standin"
)

const two = `vlan 110 staff
vlan 120 phones
device a switch
  ports 1-20
  wording by-vlan pvid-apart
  1-4: 110 [120]
  20: [110 120]
device b switch
  ports 1-20
  1-4: 110
  20: [110 120]
cable a.20 b.20
plug a.1 "pc" wants 110 card 02:00:00:00:00:0a
`

func readText(t testing.TB, text string) *office.Office {
	f, err := notation.Read("office", text)
	require.NoError(t, err)
	return f.Office
}

// all reads every device of an office that stand-ins play.
func all(t testing.TB, o *office.Office, opt standin.Options, at map[string]string) map[string]field.Result {
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	w, where, err := standin.Start(ctx, o, nil, 0, opt)
	require.NoError(t, err)
	defer w.Wait()
	defer stop()
	dial := field.Dialer{At: map[string]string{}}
	for _, l := range where {
		dial.At[l.Device] = l.At
	}
	for d, as := range at { // somebody confused two addresses
		dial.At[d] = dial.At[as]
	}
	out := map[string]field.Result{}
	dial.ReadAll(ctx, o, o.Devices, func(r field.Result) { out[r.Device] = r })
	return out
}

// TestBroken: what agents do wrong is said, with the device and the thing, and costs
// no other device anything.
func TestBroken(t *testing.T) {
	o := readText(t, two)
	only := func(device string, f func(v *gosnmp.SnmpPDU)) standin.Spoil {
		return func(d string, all []gosnmp.SnmpPDU) []gosnmp.SnmpPDU {
			for i := range all {
				if d == device {
					f(&all[i])
				}
			}
			return all
		}
	}
	in := func(v *gosnmp.SnmpPDU, column string) bool { return strings.HasPrefix(v.Name, "."+column+".") }
	for _, x := range []struct {
		says    string
		opt     standin.Options
		at      map[string]string
		fails   string // of a
		trouble string
		shape   string // of a 1
		notTold []field.Told
	}{
		{says: "nothing", shape: "110 [120]"},
		{says: "a walk in a circle", opt: standin.Options{Spoil: only("a", func(v *gosnmp.SnmpPDU) {
			if in(v, mib.IfDescr) {
				v.Name = "." + mib.IfDescr + ".1001"
			}
		})}, fails: "answers in a circle when asked for its interfaces"},
		{says: "a VLAN that is none", opt: standin.Options{Spoil: only("a", func(v *gosnmp.SnmpPDU) {
			v.Name = strings.Replace(v.Name, mib.StaticEgress+".120", mib.StaticEgress+".4095", 1)
			v.Name = strings.Replace(v.Name, mib.StaticUntagged+".120", mib.StaticUntagged+".4095", 1)
			v.Name = strings.Replace(v.Name, mib.StaticRowStatus+".120", mib.StaticRowStatus+".4095", 1)
		})}, trouble: "a VLAN 4095, which is none", shape: "110 [120]"}, // as the current table has it
		{says: "a PVID that is none", opt: standin.Options{Spoil: only("a", func(v *gosnmp.SnmpPDU) {
			if v.Name == "."+mib.PVID+".1" {
				v.Value = uint32(4095)
			}
		})}, trouble: "port 1 has PVID 4095, which is no VLAN: taken for none", shape: "110 [120] pvid none"},
		{says: "control characters and text without an end", opt: standin.Options{Spoil: only("a", func(v *gosnmp.SnmpPDU) {
			if in(v, mib.RemSysName) {
				v.Value = []byte("b\x00\x1b[2J\u202e" + strings.Repeat("x", 5000))
			}
		})}, shape: "110 [120]"},
		{says: "the other device", at: map[string]string{"a": "b"}, fails: "answers as b, which is another device of this office"},
		{says: "PortLists that end where nothing follows", opt: standin.Options{Short: true}, shape: "110 [120]"},
		{says: "only the current table", opt: standin.Options{Without: map[string]bool{mib.StaticTable: true}}, shape: "110 [120]"},
		{says: "only the static table", opt: standin.Options{Without: map[string]bool{mib.CurrentEgress: true, mib.CurrentUntagged: true, mib.CurrentFdbID: true}}, shape: "110 [120]"},
		{says: "nothing of untagged ports", opt: standin.Options{Without: map[string]bool{mib.StaticUntagged: true, mib.CurrentUntagged: true}}, shape: "110 [120]", notTold: []field.Told{field.TellsUntagged}},
		{says: "no PVIDs, frames and filtering", opt: standin.Options{Without: map[string]bool{mib.PVID: true, mib.Acceptable: true, mib.IngressFiltering: true}}, shape: "110 [120]", notTold: []field.Told{field.TellsAdmit, field.TellsFilter, field.TellsPVID}},
		{says: "no bridge", opt: standin.Options{Without: map[string]bool{"1.3.6.1.2.1.17": true}}, shape: "110 [120]", notTold: []field.Told{field.TellsVLANs, field.TellsUntagged, field.TellsLearnt}},
		{says: "no names", opt: standin.Options{Without: map[string]bool{mib.IfName: true, mib.IfDescr: true}}, shape: "110 [120]"},
		{says: "nothing of links", opt: standin.Options{Without: map[string]bool{mib.IfOperStatus: true}}, shape: "110 [120]", notTold: []field.Told{field.TellsLink}},
		{says: "no LLDP", opt: standin.Options{Without: map[string]bool{"1.0.8802": true}}, shape: "110 [120]", notTold: []field.Told{field.TellsNeighbours}},
		{says: "64-bit counters where 32 are meant", opt: standin.Options{Spoil: only("a", func(v *gosnmp.SnmpPDU) {
			if in(v, mib.IfSpeed) {
				v.Type, v.Value = gosnmp.Counter64, uint64(1)<<40
			}
		})}, shape: "110 [120]"},
		{says: "some requests lost", opt: standin.Options{Loss: 0.05}, shape: "110 [120]"},
		{says: "answers that take long", opt: standin.Options{Delay: 50 * time.Millisecond}, shape: "110 [120]"},
		{says: "another community", opt: standin.Options{Communities: []string{"secret"}}, fails: "is its community right?"},
	} {
		t.Run(x.says, func(t *testing.T) {
			t.Parallel()
			got := all(t, o, x.opt, x.at)
			require.Len(t, got, 2)
			if len(x.opt.Communities) == 0 {
				require.NoError(t, got["b"].Err)
			}
			if x.fails != "" {
				require.ErrorContains(t, got["a"].Err, x.fails)
				return
			}
			require.NoError(t, got["a"].Err)
			r, d := got["a"].Reading, o.Devices[0]
			n := span.Compile(o)
			f := r.Found(o, d, field.MatchPorts(d, r), wording.Planned(n, 0))
			require.Equal(t, x.shape, notation.Shape(f.State.Ports[0].Shape()))
			require.Contains(t, fmt.Sprint(f.Trouble), x.trouble)
			require.Subset(t, r.NotTold, x.notTold)
			for _, h := range r.Neighbours {
				require.NotContains(t, h.Device, "\x1b")
				require.LessOrEqual(t, len(h.Device), 200)
			}
		})
	}
}

// TestMatch: ports of the office and of a device, by whatever names they have.
func TestMatch(t *testing.T) {
	port := func(number, index int, name string) field.Port {
		return field.Port{Number: number, Index: index, Name: name, Bridged: number > 0}
	}
	for _, x := range []struct {
		says, ports string
		told        []field.Port
		want        string // names, by port of the office
	}{
		{"the same names", "1-3", []field.Port{port(7, 1, "2"), port(8, 2, "1"), port(9, 3, "3")}, "1 2 3"},
		{"a name with the number at its end", "1-3", []field.Port{port(1, 1, "ge-0/0/1"), port(2, 2, "ge-0/0/2"), port(3, 3, "ge-0/0/3")}, "ge-0/0/1 ge-0/0/2 ge-0/0/3"},
		{"two series, the second goes on", "1-2, 3-4 10G", []field.Port{port(1, 1, "ge1"), port(2, 2, "ge2"), port(3, 3, "xe1"), port(4, 4, "xe2")}, "ge1 ge2 xe1 xe2"},
		{"the office says what it is called", "1 as xe2, 2-3", []field.Port{port(1, 1, "ge2"), port(2, 2, "ge3"), port(3, 3, "xe2")}, "xe2 ge2 ge3"},
		{"only numbers of the bridge", "1-2", []field.Port{port(2, 11, ""), port(1, 12, "")}, " "},
		{"what is no port of the bridge is none of the front", "1", []field.Port{port(0, 1, "eth1"), port(1, 2, "port1")}, "port1"},
		{"none", "wan, lan", []field.Port{port(1, 1, "ge1")}, "- -"},
	} {
		t.Run(x.says, func(t *testing.T) {
			d := readText(t, "device a switch\n  ports "+x.ports+"\n").Devices[0]
			r := &field.Reading{Ports: x.told}
			var got []string
			for _, at := range field.MatchPorts(d, r) {
				if at < 0 {
					got = append(got, "-")
				} else {
					got = append(got, r.Ports[at].Name)
				}
			}
			require.Equal(t, x.want, strings.Join(got, " "))
		})
	}
}

// TestSetRefused: a device that refuses says which thing; one that takes no more than
// one object a request is set all the same.
func TestSetRefused(t *testing.T) {
	o := readText(t, two)
	d := o.Devices[0]
	n := span.Compile(o)
	for _, x := range []struct {
		says string
		opt  standin.Options
		why  string
	}{
		{"it may only be read", standin.Options{ReadOnly: map[string]bool{"a": true}}, "refused (VLAN 110: ports): notWritable"},
		{"one object a request", standin.Options{NoBulk: true}, ""},
	} {
		t.Run(x.says, func(t *testing.T) {
			ctx, stop := context.WithTimeout(t.Context(), 20*time.Second)
			defer stop()
			w, at, err := standin.Start(ctx, o, nil, 0, x.opt)
			require.NoError(t, err)
			defer w.Wait()
			defer stop()
			dev, r, err := field.Dialer{At: map[string]string{"a": at[0].At}}.Talk(ctx, o, d)
			require.NoError(t, err)
			defer dev.Close()
			m := field.MatchPorts(d, r)
			was := r.Found(o, d, m, wording.Planned(n, 0)).State
			to := was.With(4, wording.Of(&office.Shape{Untagged: []office.VID{110}})).Knowing(was.VLANs)
			err = dev.Set(ctx, d, m, was, to)
			if x.why != "" {
				require.ErrorContains(t, err, x.why)
				return
			}
			require.NoError(t, err)
			r, err = dev.Read(ctx)
			require.NoError(t, err)
			require.True(t, r.Found(o, d, m, was).State.Equal(to))
		})
	}
}

// TestFlat: what is read over and over leaves nothing behind: no memory, no goroutine,
// no connection.
func TestFlat(t *testing.T) {
	o := readText(t, two)
	ctx, stop := context.WithCancel(t.Context())
	w, at, err := standin.Start(ctx, o, nil, 0, standin.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { stop(); w.Wait() })
	dial := field.Dialer{At: map[string]string{}}
	for _, l := range at {
		dial.At[l.Device] = l.At
	}
	rounds := func(n int) (heap uint64, routines, files int) {
		for range n {
			dial.ReadAll(ctx, o, o.Devices, func(r field.Result) { require.NoError(t, r.Err) })
		}
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		open, err := os.ReadDir("/proc/self/fd")
		require.NoError(t, err)
		return m.HeapAlloc, runtime.NumGoroutine(), len(open)
	}
	heap, routines, files := rounds(50)
	heap2, routines2, files2 := rounds(number("KLAMMER_ROUNDS", 250))
	t.Logf("heap %d kB, then %d kB", heap>>10, heap2>>10)
	require.Less(t, heap2, heap+1<<20)
	require.LessOrEqual(t, routines2, routines+2)
	require.LessOrEqual(t, files2, files+2)
}

// number is how many to try: more where the environment says so.
func number(name string, usual int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
		return n
	}
	return usual
}

// BenchmarkRead reads a switch of 48 ports and 100 VLANs, and 30 devices side by side.
func BenchmarkRead(b *testing.B) {
	var text strings.Builder
	for v := 100; v < 200; v++ {
		fmt.Fprintf(&text, "vlan %d v%d\n", v, v)
	}
	for i := range 30 {
		fmt.Fprintf(&text, "device s%d switch\n  ports 1-48\n  1-40: %d\n  41-48: [100-199]\n", i, 100+i)
	}
	o := readText(b, text.String())
	ctx, stop := context.WithCancel(b.Context())
	w, at, err := standin.Start(ctx, o, nil, 0, standin.Options{})
	require.NoError(b, err)
	b.Cleanup(func() { stop(); w.Wait() })
	dial := field.Dialer{At: map[string]string{}}
	for _, l := range at {
		dial.At[l.Device] = l.At
	}
	for _, devices := range []int{1, 30} {
		b.Run(fmt.Sprint(devices), func(b *testing.B) {
			requests := 0
			for b.Loop() {
				dial.ReadAll(ctx, o, o.Devices[:devices], func(r field.Result) {
					require.NoError(b, r.Err)
					requests = r.Reading.Requests
				})
			}
			b.ReportMetric(float64(requests), "requests/device")
		})
	}
}
