package main

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
)

func walkCmd() *cobra.Command {
	var from, on string
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "walk FILE --from DEVICE.PORT --wire untagged|priority|VID",
		Short: "Follow one frame, hop by hop, with the reason for each turn",
		Long: `Follow one broadcast frame that is sent into a port: each device that it
passes, each port without a cable where it comes out, each port that drops it.`,
		Example: "  klammer walk demo/clinic.klm --from ward-east.5 --wire untagged",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			ref, err := portArg(file.Office, from)
			if err != nil {
				return fmt.Errorf("--from: %w", err)
			}
			wire, err := bridge.ParseWire(on)
			if err != nil {
				return fmt.Errorf("--wire: %w", err)
			}
			way, err := walk.Broadcast(span.Compile(file.Office), ref, wire)
			if err != nil {
				return err
			}
			if asJSON {
				return asking.PrintJSON(cmd, api.WalkOf(way))
			}
			printWalk(cmd, way)
			return nil
		},
	}
	cmd.Flags().StringVar(&from, "from", "", "the port that the frame is sent into, as device.port")
	cmd.Flags().StringVar(&on, "wire", "untagged", "what it wears: untagged, priority, or a VID")
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	_ = cmd.MarkFlagRequired("from")
	return cmd
}

func printWalk(cmd *cobra.Command, one *walk.Walk) {
	out := cmd.OutOrStdout()
	for _, hop := range one.Hops {
		fmt.Fprintf(out, "%s %s: %s\n", hop.In, hop.Wire, hop.Text)
		for _, exit := range hop.Out {
			to := "comes out"
			if len(exit.To) > 0 {
				to = "to " + strings.Join(api.Refs(exit.To), ", ")
			}
			fmt.Fprintf(out, "    %s %s %s\n", exit.Port, exit.Wire, to)
		}
	}
	for _, drop := range one.Drops {
		fmt.Fprintf(out, "%s %s: dropped, %s\n", drop.Port, drop.Wire, drop.Reason)
	}
	names := make([]string, 0, len(one.Arrivals))
	for _, arrival := range one.Arrivals {
		name := arrival.Port.String()
		if arrival.Wire != bridge.Untagged {
			name += " " + arrival.Wire.String()
		}
		names = append(names, name)
	}
	if len(names) == 0 {
		fmt.Fprintln(out, "it comes out nowhere")
	} else {
		fmt.Fprintf(out, "it comes out at %s\n", strings.Join(names, ", "))
	}
}

func flowsCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "flows FILE",
		Short: "The whole truth: where every frame from every port comes out",
		Long: `For every port without a cable and every wire (untagged, priority-tagged, each
VID in use, one not in use): where the frame comes out.`,
		Example: "  klammer flows demo/clinic.klm\n  klammer flows demo/clinic.klm --json",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			flows := walk.Flows(span.Compile(file.Office))
			if asJSON {
				type flowJSON struct {
					From     string        `json:"from"`
					Wire     api.Wire      `json:"wire"`
					Arrivals []api.Arrival `json:"arrivals"`
				}
				out := []flowJSON{}
				for _, flow := range flows {
					out = append(out, flowJSON{flow.From.String(), api.Wire(flow.Wire), api.Arrivals(flow.Arrivals)})
				}
				return asking.PrintJSON(cmd, map[string]any{"flows": out})
			}
			for _, flow := range flows {
				if len(flow.Arrivals) == 0 {
					continue
				}
				var to []string
				for _, arrival := range flow.Arrivals {
					name := arrival.Port.String()
					if arrival.Wire != bridge.Untagged {
						name += " " + arrival.Wire.String()
					}
					to = append(to, name)
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%s %s: %s\n", flow.From, flow.Wire, strings.Join(to, ", "))
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document, with the frames that come out nowhere")
	return cmd
}

func spansCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use:     "spans FILE [VLAN]",
		Short:   "Which ports each VLAN really reaches, and whether it is whole",
		Example: "  klammer spans demo/clinic.klm imaging",
		Args:    cobra.RangeArgs(1, 2),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			net := span.Compile(file.Office)
			which := net.Used().VIDs()
			if len(args) == 2 {
				vid, err := vlanArg(file.Office, args[1])
				if err != nil {
					return err
				}
				which = []office.VID{vid}
			}
			type spanJSON struct {
				Ports []string `json:"ports"`
			}
			type vlanJSON struct {
				VID   office.VID `json:"vid"`
				State string     `json:"state"`
				Spans []spanJSON `json:"spans"`
			}
			out := []vlanJSON{}
			for _, vid := range which {
				json := vlanJSON{vid, span.Unused.String(), []spanJSON{}}
				if vlan := net.VLAN(vid); vlan != nil {
					json.State = vlan.State.String()
					for _, part := range vlan.Spans {
						json.Spans = append(json.Spans, spanJSON{api.Refs(net.Reaches(part))})
					}
				}
				out = append(out, json)
			}
			if asJSON {
				return asking.PrintJSON(cmd, map[string]any{"vlans": out})
			}
			for _, json := range out {
				fmt.Fprintf(cmd.OutOrStdout(), "%s: %s\n", net.Name(json.VID), json.State)
				for _, one := range json.Spans {
					fmt.Fprintf(cmd.OutOrStdout(), "    %s\n", strings.Join(one.Ports, ", "))
				}
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

// vlanArg reads a VLAN by number or by name.
func vlanArg(o *office.Office, text string) (office.VID, error) {
	if text != "" && (text[0] < '0' || text[0] > '9') {
		return office.NewDraft(o).FindVLAN(text)
	}
	return office.ParseVID(text)
}
