package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/office"
	"klammer/probe"
)

// listening is how long a laptop waits for its switch to say which port it is: switches
// say so every 30 s (IEEE 802.1AB, 9.2.5.7).
const listening = 31 * time.Second

// measuring is a laptop at a network interface.
type measuring struct {
	on    string
	port  string
	vlans []int
	wait  time.Duration
	plan  asking.Beside // nil for none
	json  bool
}

// run measures at an interface, and prints what was seen, beside the plan where there is one.
//
// Many branches: with a plan and without, and each step of a measurement may fail.
func (m *measuring) run(cmd *cobra.Command) error {
	ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	out, says := cmd.OutOrStdout(), cmd.ErrOrStderr()
	if !m.json {
		says = out
	}
	wire, err := probe.Open(m.on)
	if err != nil {
		return err
	}
	opt := probe.Options{Wait: m.wait, Six: true, Greet: m.plan == nil}
	opt.Heard = func(neighbour probe.Neighbour) { fmt.Fprintf(says, "%s hears %s\n", m.on, neighbourText(neighbour)) }
	opt.Offer = func(tag office.VID, offer probe.Offer) { fmt.Fprintf(says, "%s: %s\n", tagged(tag), offerText(offer)) }
	laptop := probe.Plug(wire, opt)
	defer laptop.Close()

	looks := &api.ProbeLooks{}
	if m.plan != nil {
		if looks, err = m.where(ctx, laptop, says); err != nil {
			return err
		}
		fmt.Fprintf(says, "%s is at %s of %s: looking with %s\n", m.on, asking.Spaced(looks.Port), looks.Office, tagsText(looks.Looks))
	} else {
		looks.Looks = append(looks.Looks, api.ProbeLook{})
		for _, v := range m.vlans {
			looks.Looks = append(looks.Looks, api.ProbeLook{Wire: &v})
		}
	}
	var all, besides []probe.Look
	for k := range looks.Looks {
		all = append(all, looks.Looks[k].Look())
	}
	for k := range looks.Looks {
		for _, look := range looks.Looks[k].Besides() {
			if !slices.ContainsFunc(all, func(other probe.Look) bool { return other.Tag == look.Tag }) {
				besides = append(besides, look)
			}
		}
	}
	saws, err := laptop.Look(ctx, append(slices.Clip(all), besides...))
	if err != nil {
		return err
	}
	seen := api.Measured{On: m.on, Card: wire.Card().String(), Office: looks.Office, Port: looks.Port, Heard: []api.ProbeHeard{}, Saw: []api.ProbeSaw{}}
	for _, neighbour := range laptop.Neighbours() {
		seen.Heard = append(seen.Heard, api.ProbeHeardOf(neighbour))
	}
	for k := range all {
		saw := api.ProbeSawOf(&saws[k])
		saw.Planned = looks.Looks[k].Planned
		saw.With(&looks.Looks[k], saws)
		seen.Saw = append(seen.Saw, saw)
	}
	var against error
	if m.plan != nil {
		seen.Probed, against = m.plan.Judge(ctx, api.ProbeReport{ID: looks.ID, Port: looks.Port, Saw: seen.Saw})
	}
	for k := range seen.Saw {
		seen.Saw[k].Planned = ""
	}
	if m.json { // what was seen is told whatever became of the report
		err = asking.PrintJSON(cmd, seen)
	} else {
		printSaw(out, saws[:len(all)])
		if seen.Probed != nil {
			asking.PrintProbed(out, seen.Probed)
		}
	}
	switch {
	case against != nil:
		return against
	case err == nil && seen.Probed != nil && !asking.Passed(seen.Probed):
		return asking.Status(1)
	}
	return err
}

// where finds the port that the laptop is at, and what to try there.
func (m *measuring) where(ctx context.Context, laptop *probe.Laptop, says io.Writer) (*api.ProbeLooks, error) {
	ask := api.ProbeAsk{Port: m.port, VLANs: m.vlans}
	if ask.Port == "" {
		fmt.Fprintf(says, "Listening for the switch to say which port this is (LLDP, up to %.0f s; --port rack.1 says it).\n", listening.Seconds())
		var looks *api.ProbeLooks
		wrong := errors.New("nobody says by LLDP which port this is: say it, as --port rack.1")
		err := laptop.Listen(ctx, listening, func(neighbour probe.Neighbour) bool { // until one is of the office
			ask.Heard = []api.ProbeHeard{api.ProbeHeardOf(neighbour)}
			var err error
			if looks, err = m.plan.Ask(ctx, ask); err != nil {
				wrong = err
			}
			return err == nil
		})
		if err == nil && looks == nil {
			err = wrong
		}
		return looks, err
	}
	return m.plan.Ask(ctx, ask)
}

// tagsText is what the laptop looks with.
func tagsText(all []api.ProbeLook) string {
	var tags []string
	for _, look := range all {
		if look.Wire != nil {
			tags = append(tags, strconv.Itoa(*look.Wire))
		}
	}
	if len(tags) == 0 {
		return "untagged"
	}
	return "untagged and tagged " + strings.Join(tags, ", ")
}

// neighbourText says who is at the other end.
func neighbourText(neighbour probe.Neighbour) string {
	text := neighbour.Device
	if text == "" {
		text = neighbour.Chassis
	}
	text += ", port " + neighbour.Port
	if neighbour.PortText != "" && neighbour.PortText != neighbour.Port {
		text += " (" + neighbour.PortText + ")"
	}
	if neighbour.PVID != 0 {
		text += fmt.Sprintf(", PVID %d", neighbour.PVID)
	}
	return text
}

func tagged(vid office.VID) string {
	if vid == 0 {
		return "untagged"
	}
	return fmt.Sprintf("tagged %d", vid)
}

func offerText(offer probe.Offer) string {
	by := offer.By
	if offer.Server.IsValid() {
		by = fmt.Sprintf("%s (%s)", offer.Server, offer.By)
	}
	text := fmt.Sprintf("%s offers %s", by, offer.Addr)
	if offer.Bits > 0 {
		text += fmt.Sprintf("/%d", offer.Bits)
	}
	if offer.Gateway.IsValid() {
		text += ", gateway " + offer.Gateway.String()
	}
	return fmt.Sprintf("%s, after %d ms", text, offer.After.Milliseconds())
}

// printSaw prints what was not told while it came.
func printSaw(out io.Writer, all []probe.Saw) {
	for _, saw := range all {
		var parts []string
		if len(saw.Offers) == 0 {
			parts = append(parts, "nobody offers an address")
		}
		for _, router := range saw.Routers {
			text := fmt.Sprintf("%s (%s) routes IPv6", router.Addr, router.By)
			for _, prefix := range router.Prefixes {
				text += ", " + prefix.String()
			}
			parts = append(parts, text)
		}
		if n := len(saw.Answers); n > 0 {
			var names []string
			for _, answer := range saw.Answers {
				names = append(names, answer.Addr.String())
			}
			slices.Sort(names)
			if more := n - 8; more > 0 {
				names = append(names[:8], fmt.Sprintf("%d more", more))
			}
			parts = append(parts, strings.Join(names, ", ")+" "+verb(n, "answers", "answer"))
		}
		if saw.Taken != "" {
			parts = append(parts, saw.Taken+" has the address that was offered")
		}
		for _, one := range saw.Tried {
			parts = append(parts, fmt.Sprintf("%s %s: %s", one.To, one.Service, one.How))
		}
		if len(parts) > 0 {
			fmt.Fprintf(out, "%s: %s\n", tagged(saw.Tag), strings.Join(parts, "; "))
		}
	}
}

func verb(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// vlanList is VLAN IDs with commas between.
func vlanList(text string) (out []int, err error) {
	if text == "" {
		return nil, nil
	}
	for _, x := range strings.Split(text, ",") {
		n, err := strconv.Atoi(strings.TrimSpace(x))
		if err != nil {
			return nil, fmt.Errorf("--vlans is VLAN IDs with commas between, as 110,120: found %q", x)
		}
		if _, err := office.VIDOf(n); err != nil {
			return nil, fmt.Errorf("--vlans: %w", err)
		}
		if !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	return out, nil
}
