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
			f, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			ref, err := portArg(f.Office, from)
			if err != nil {
				return fmt.Errorf("--from: %w", err)
			}
			w, err := bridge.ParseWire(on)
			if err != nil {
				return fmt.Errorf("--wire: %w", err)
			}
			way, err := walk.Broadcast(span.Compile(f.Office), ref, w)
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

func printWalk(cmd *cobra.Command, w *walk.Walk) {
	out := cmd.OutOrStdout()
	for _, h := range w.Hops {
		fmt.Fprintf(out, "%s %s: %s\n", h.In, h.Wire, h.Text)
		for _, e := range h.Out {
			to := "comes out"
			if len(e.To) > 0 {
				to = "to " + strings.Join(api.Refs(e.To), ", ")
			}
			fmt.Fprintf(out, "    %s %s %s\n", e.Port, e.Wire, to)
		}
	}
	for _, d := range w.Drops {
		fmt.Fprintf(out, "%s %s: dropped, %s\n", d.Port, d.Wire, d.Reason)
	}
	names := make([]string, 0, len(w.Arrivals))
	for _, a := range w.Arrivals {
		n := a.Port.String()
		if a.Wire != bridge.Untagged {
			n += " " + a.Wire.String()
		}
		names = append(names, n)
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
			f, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			flows := walk.Flows(span.Compile(f.Office))
			if asJSON {
				type flowJSON struct {
					From     string        `json:"from"`
					Wire     api.Wire      `json:"wire"`
					Arrivals []api.Arrival `json:"arrivals"`
				}
				out := []flowJSON{}
				for _, x := range flows {
					out = append(out, flowJSON{x.From.String(), api.Wire(x.Wire), api.Arrivals(x.Arrivals)})
				}
				return asking.PrintJSON(cmd, map[string]any{"flows": out})
			}
			for _, x := range flows {
				if len(x.Arrivals) == 0 {
					continue
				}
				var to []string
				for _, a := range x.Arrivals {
					n := a.Port.String()
					if a.Wire != bridge.Untagged {
						n += " " + a.Wire.String()
					}
					to = append(to, n)
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%s %s: %s\n", x.From, x.Wire, strings.Join(to, ", "))
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
			f, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			n := span.Compile(f.Office)
			which := n.Used().VIDs()
			if len(args) == 2 {
				v, err := vlanArg(f.Office, args[1])
				if err != nil {
					return err
				}
				which = []office.VID{v}
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
			for _, v := range which {
				j := vlanJSON{v, span.Unused.String(), []spanJSON{}}
				if r := n.VLAN(v); r != nil {
					j.State = r.State.String()
					for _, s := range r.Spans {
						j.Spans = append(j.Spans, spanJSON{api.Refs(n.Reaches(s))})
					}
				}
				out = append(out, j)
			}
			if asJSON {
				return asking.PrintJSON(cmd, map[string]any{"vlans": out})
			}
			for _, j := range out {
				fmt.Fprintf(cmd.OutOrStdout(), "%s: %s\n", n.Name(j.VID), j.State)
				for _, s := range j.Spans {
					fmt.Fprintf(cmd.OutOrStdout(), "    %s\n", strings.Join(s.Ports, ", "))
				}
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

// vlanArg reads a VLAN by number or by name.
func vlanArg(o *office.Office, s string) (office.VID, error) {
	if s != "" && (s[0] < '0' || s[0] > '9') {
		return office.NewDraft(o).FindVLAN(s)
	}
	return office.ParseVID(s)
}
