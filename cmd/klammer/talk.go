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
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			net := span.Compile(file.Office)
			if len(args) == 1 {
				table := talk.NewTable(net)
				if asJSON {
					return asking.PrintJSON(cmd, struct {
						Pairs []api.TalkPair `json:"pairs"`
					}{api.TalkPairs(table)})
				}
				return printTable(cmd.OutOrStdout(), table)
			}
			service := ""
			if len(args) == 4 {
				service = args[3]
			}
			answer, err := api.TalkOf(talk.New(net), args[1], args[2], service)
			if err != nil {
				return err
			}
			if asJSON {
				return asking.PrintJSON(cmd, answer)
			}
			printAnswer(cmd.OutOrStdout(), answer, net)
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

// printTable prints the table: a row from, a column to; then what is open in part.
func printTable(out io.Writer, table *talk.Table) error {
	writer := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	short := func(vid office.VID) string {
		if vid == 0 {
			return "outside"
		}
		return strconv.Itoa(int(vid))
	}
	name := func(vid office.VID) string {
		if vid == 0 {
			return "outside"
		}
		return table.Net.Name(vid)
	}
	areas := table.Areas()
	fmt.Fprint(writer, "from \\ to")
	for _, vid := range areas {
		fmt.Fprintf(writer, "\t%s", short(vid))
	}
	fmt.Fprintln(writer)
	for i, from := range areas {
		fmt.Fprint(writer, name(from))
		for k := range areas {
			cell := map[talk.Verdict]string{talk.Yes: "yes", talk.No: "-", talk.Some: "part"}[table.At(i, k).Verdict]
			if i == k {
				cell = "\\"
			}
			fmt.Fprintf(writer, "\t%s", cell)
		}
		fmt.Fprintln(writer)
	}
	if err := writer.Flush(); err != nil {
		return err
	}
	for _, pair := range table.Pairs() {
		if pair.Verdict == talk.Some {
			fmt.Fprintf(out, "%s to %s: %s\n", name(pair.From), name(pair.To), pair.Open)
			for _, text := range table.ShareTexts(pair.From, pair.To) {
				fmt.Fprintln(out, "  "+text)
			}
		}
	}
	for _, judged := range table.Wishes() {
		so := "holds"
		if !judged.Holds {
			so = "does not hold: " + judged.Answer.Why()
		}
		fmt.Fprintf(out, "%s: %s\n", judged.Wish, so)
	}
	return nil
}

func printAnswer(out io.Writer, answer *api.TalkAnswer, net *span.Net) {
	fmt.Fprintf(out, "%s to %s, %s: %s", answer.From, answer.To, answer.Service, answer.Verdict)
	if answer.Verdict == talk.Some {
		fmt.Fprintf(out, " (%s)", words(answer.Services))
	}
	fmt.Fprintln(out)
	name := func(x any) string {
		if area, _ := x.(api.Area); area != 0 {
			return net.Name(office.VID(area))
		}
		return "outside"
	}
	leg := func(title string, one api.TalkLeg) {
		if len(one.Hops) == 0 && one.Stopped == nil {
			return
		}
		fmt.Fprintf(out, "%s, %s\n", title, answer.Told)
		for _, hop := range one.Hops {
			at := ""
			if hop.Address != "" {
				at = " at " + hop.Address
			}
			fmt.Fprintf(out, "  %s%s: from %s to %s, %s\n", hop.Device, at, name(hop.In), name(hop.Out), hop.Decides)
		}
		if one.Stopped != nil {
			fmt.Fprintf(out, "  stopped: %s\n", one.Stopped.Text)
		}
	}
	leg("there", answer.There)
	leg("back", answer.Back)
	if answer.Slowest != nil {
		fmt.Fprintf(out, "slowest: %s, %s to %s\n", office.Speed(answer.Slowest.Mbps), answer.Slowest.Cable[0], answer.Slowest.Cable[1])
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
