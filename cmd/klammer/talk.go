package main

import (
	"fmt"
	"io"
	"strconv"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

func talkCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "talk FILE [FROM TO [SERVICE]]",
		Short: "Who may talk to whom, and by which rule",
		Long: `Who may talk to whom: as a table of all VLANs and the outside; or one way, told
hop by hop there and back, with the rule that decides. FROM and TO are a port
(device.port), a plug by its name, a device, a VLAN, an address, or outside.
SERVICE is any (which is meant where nothing is said), ping, tcp/PORT,
udp/PORT, a name of the office, or several with commas.`,
		Example: `  klammer talk demo/clinic.klm
  klammer talk demo/clinic.klm rack.1 10.61.130.9 tcp/104
  klammer talk demo/clinic.klm guests outside tcp/443 --json`,
		Args: func(cmd *cobra.Command, args []string) error {
			if n := len(args); n != 1 && n != 3 && n != 4 {
				return fmt.Errorf("talk takes a file, or a file and from whom to whom, and a service: klammer talk FILE FROM TO [SERVICE]")
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			f, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			n := span.Compile(f.Office)
			if len(args) == 1 {
				t := talk.NewTable(n)
				if asJSON {
					return asking.PrintJSON(cmd, struct {
						Pairs []api.TalkPair `json:"pairs"`
					}{api.TalkPairs(t)})
				}
				return printTable(cmd.OutOrStdout(), t)
			}
			service := ""
			if len(args) == 4 {
				service = args[3]
			}
			a, err := api.TalkOf(talk.New(n), args[1], args[2], service)
			if err != nil {
				return err
			}
			if asJSON {
				return asking.PrintJSON(cmd, a)
			}
			printAnswer(cmd.OutOrStdout(), a, n)
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

// printTable prints the table: a row from, a column to; then what is open in part.
func printTable(out io.Writer, t *talk.Table) error {
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	short := func(v office.VID) string {
		if v == 0 {
			return "outside"
		}
		return strconv.Itoa(int(v))
	}
	name := func(v office.VID) string {
		if v == 0 {
			return "outside"
		}
		return t.Net.Name(v)
	}
	areas := t.Areas()
	fmt.Fprint(w, "from \\ to")
	for _, v := range areas {
		fmt.Fprintf(w, "\t%s", short(v))
	}
	fmt.Fprintln(w)
	for i, from := range areas {
		fmt.Fprint(w, name(from))
		for k := range areas {
			cell := map[talk.Verdict]string{talk.Yes: "yes", talk.No: "-", talk.Some: "part"}[t.At(i, k).Verdict]
			if i == k {
				cell = "\\"
			}
			fmt.Fprintf(w, "\t%s", cell)
		}
		fmt.Fprintln(w)
	}
	if err := w.Flush(); err != nil {
		return err
	}
	for _, p := range t.Pairs() {
		if p.Verdict == talk.Some {
			fmt.Fprintf(out, "%s to %s: %s\n", name(p.From), name(p.To), p.Open)
			for _, text := range t.ShareTexts(p.From, p.To) {
				fmt.Fprintln(out, "  "+text)
			}
		}
	}
	for _, j := range t.Wishes() {
		so := "holds"
		if !j.Holds {
			so = "does not hold: " + j.Answer.Why()
		}
		fmt.Fprintf(out, "%s: %s\n", j.Wish, so)
	}
	return nil
}

func printAnswer(out io.Writer, a *api.TalkAnswer, n *span.Net) {
	fmt.Fprintf(out, "%s to %s, %s: %s", a.From, a.To, a.Service, a.Verdict)
	if a.Verdict == talk.Some {
		fmt.Fprintf(out, " (%s)", words(a.Services))
	}
	fmt.Fprintln(out)
	name := func(x any) string {
		if v, _ := x.(api.Area); v != 0 {
			return n.Name(office.VID(v))
		}
		return "outside"
	}
	leg := func(title string, l api.TalkLeg) {
		if len(l.Hops) == 0 && l.Stopped == nil {
			return
		}
		fmt.Fprintf(out, "%s, %s\n", title, a.Told)
		for _, h := range l.Hops {
			at := ""
			if h.Address != "" {
				at = " at " + h.Address
			}
			fmt.Fprintf(out, "  %s%s: from %s to %s, %s\n", h.Device, at, name(h.In), name(h.Out), h.Decides)
		}
		if l.Stopped != nil {
			fmt.Fprintf(out, "  stopped: %s\n", l.Stopped.Text)
		}
	}
	leg("there", a.There)
	leg("back", a.Back)
	if a.Slowest != nil {
		fmt.Fprintf(out, "slowest: %s, %s to %s\n", office.Speed(a.Slowest.Mbps), a.Slowest.Cable[0], a.Slowest.Cable[1])
	}
}

func words(list []string) string {
	text := ""
	for i, x := range list {
		if i > 0 {
			text += ", "
		}
		text += x
	}
	return text
}
