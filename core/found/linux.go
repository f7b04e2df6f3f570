package found

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
	"klammer/core/wording"
)

// fromLinux reads what `bridge -json vlan show` prints, with what `ip -json
// -details link` prints before or behind it, as iproute2 writes them: a port of
// the one by its name there, which is the port's name inside the device where
// the plan says one.
//
//	> paste core
//	> port              vlan-id
//	> 1                 110 PVID Egress Untagged
//	> 1                 140
//	> 2                 160 PVID Egress Untagged
//	by port
//	1: planned 110 [140], found 140
//	2: planned 110 [140], found 160
//	row 2, column 2: "PVID" is not a VLAN number, which is 1 to 4094
//	row 4, column 2: "PVID" is not a VLAN number, which is 1 to 4094
func fromLinux(device *office.Device, base wording.State, text string) (*Result, error) {
	reading := begin(device, base, "Linux")
	dec := json.NewDecoder(strings.NewReader(text))
	down := map[string]bool{}
	seen := false
	for dec.More() {
		var list []struct {
			Name  string `json:"ifname"`
			VLANs []struct {
				From  int      `json:"vlan"`
				To    int      `json:"vlanEnd"`
				Flags []string `json:"flags"`
			} `json:"vlans"`
			Flags []string `json:"flags"`
			Info  *struct {
				Kind string `json:"info_kind"`
				Data struct {
					Filtering *int `json:"vlan_filtering"`
				} `json:"info_data"`
			} `json:"linkinfo"`
			Index int `json:"ifindex"`
		}
		if err := dec.Decode(&list); err != nil {
			return nil, fmt.Errorf("at byte %d the JSON cannot be read (%w): take all of what bridge -json vlan show prints", dec.InputOffset(), err)
		}
		for i, x := range list {
			if x.Index > 0 && len(x.VLANs) == 0 { // of ip link
				if len(x.Flags) > 0 && !slices.Contains(x.Flags, "UP") {
					down[x.Name] = true
				}
				if x.Info != nil && x.Info.Kind == "bridge" && x.Info.Data.Filtering != nil && *x.Info.Data.Filtering == 0 {
					reading.wrong(i+1, 0, "the bridge %s has VLAN filtering off: it forwards every frame whatever its VLAN entries say", x.Name)
				}
				continue
			}
			seen = true
			port := slices.IndexFunc(device.Ports, func(one office.Port) bool { return one.Inside == x.Name || one.Inside == "" && one.Name == x.Name })
			if port < 0 {
				reading.wrong(i+1, 0, "%s is no port of %s", x.Name, device.Name)
				continue
			}
			port = device.Logical(port)
			set := reading.start(port)
			for _, v := range x.VLANs {
				from, to := v.From, max(v.From, v.To)
				for k := from; k <= to; k++ {
					vid, err := office.VIDOf(k)
					if err != nil {
						reading.wrong(i+1, 0, "%s: %s", x.Name, err)
						break
					}
					if slices.Contains(v.Flags, "Egress Untagged") {
						set.Untagged.Add(vid)
					} else {
						set.Tagged.Add(vid)
					}
					if slices.Contains(v.Flags, "PVID") {
						set.PVID = vid
					}
				}
			}
		}
	}
	if !seen {
		return nil, fmt.Errorf("there are no VLAN entries in it: bridge -json vlan show prints them")
	}
	for name := range down {
		if port := slices.IndexFunc(device.Ports, func(one office.Port) bool { return one.Inside == name || one.Inside == "" && one.Name == name }); port >= 0 && reading.said[device.Logical(port)] &&
			device.Logical(port) == port {
			reading.out.State.Ports[port].Off = true
		}
	}
	return reading.done(), nil
}
