package main

import (
	"fmt"
	"slices"
	"strings"

	"github.com/rogpeppe/go-internal/diff"
	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/command"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
	"klammer/core/walk"
)

func bringCmd() *cobra.Command {
	var inPlace, tagged bool
	cmd := &cobra.Command{
		Use:   "bring FILE VLAN DEVICE.PORT",
		Short: "Put a VLAN on a port and on every cable that it needs on the way",
		Long: `Put a VLAN on a port and tag it on every cable on the shortest way to its
gateway. The changed lines go to standard output, what else to know to standard
error.`,
		Example: "  klammer bring demo/clinic.klm imaging ward-east.6\n  klammer bring office.klm 140 rack.7 --tagged -w",
		Args:    cobra.ExactArgs(3),
		RunE: func(cmd *cobra.Command, args []string) error {
			as := office.Untagged
			if tagged {
				as = office.Tagged
			}
			return change(cmd, args, inPlace, func(n *span.Net, v office.VID, r office.PortRef) (*command.Answer, error) {
				return command.Bring(n, v, r, as)
			})
		},
	}
	cmd.Flags().BoolVar(&tagged, "tagged", false, "tagged on the port itself, too")
	cmd.Flags().BoolVarP(&inPlace, "write", "w", false, "write the office back to the file")
	return cmd
}

func withdrawCmd() *cobra.Command {
	var inPlace bool
	cmd := &cobra.Command{
		Use:     "withdraw FILE VLAN DEVICE.PORT",
		Short:   "Take a VLAN off a port and off every cable that no longer needs it",
		Example: "  klammer withdraw demo/clinic.klm imaging ward-east.6",
		Args:    cobra.ExactArgs(3),
		RunE: func(cmd *cobra.Command, args []string) error {
			return change(cmd, args, inPlace, command.Withdraw)
		},
	}
	cmd.Flags().BoolVarP(&inPlace, "write", "w", false, "write the office back to the file")
	return cmd
}

func change(cmd *cobra.Command, args []string, inPlace bool, do func(*span.Net, office.VID, office.PortRef) (*command.Answer, error)) error {
	f, err := asking.Read(cmd, args[0])
	if err != nil {
		return err
	}
	vid, err := vlanArg(f.Office, args[1])
	if err != nil {
		return err
	}
	ref, err := portArg(f.Office, args[2])
	if err != nil {
		return err
	}
	a, err := do(span.Compile(f.Office), vid, ref)
	if err != nil {
		return err
	}
	lines, _ := notation.Statements(a.Office, plainly(a.Office, a.Edit))
	for _, l := range lines {
		fmt.Fprintln(cmd.OutOrStdout(), l)
	}
	say := func(format string, args ...any) { fmt.Fprintf(cmd.ErrOrStderr(), format+"\n", args...) }
	if len(lines) == 0 {
		say("nothing to change")
	}
	if len(a.Learn) > 0 {
		say("VLAN %d is new to %s", vid, strings.Join(a.Learn, ", "))
	}
	if len(a.Followers) > 0 {
		say("departs from its port plan: %s", strings.Join(api.Refs(a.Followers), ", "))
	}
	for _, r := range slices.Concat(a.Limits, a.Remarks) {
		say("%s", r)
	}
	if inPlace {
		return write(args[0], f.WithOffice(a.Office))
	}
	return nil
}

func diffCmd() *cobra.Command {
	return &cobra.Command{
		Use:   "diff FILE FILE",
		Short: "What differs between two offices: lines, and which ports gain or lose which others",
		Long: `The lines that differ, in canonical form, and then what it means: for every
port without a cable, the ports that its frames now come out of, or no longer;
for every VLAN, what it gains and loses to others and to the outside.`,
		Example: "  klammer diff before.klm after.klm",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			a, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			b, err := asking.Read(cmd, args[1])
			if err != nil {
				return err
			}
			out := cmd.OutOrStdout()
			fmt.Fprintf(out, "%s", diff.Diff(args[0], []byte(notation.Print(a.Office)), args[1], []byte(notation.Print(b.Office))))
			was, is := span.Compile(a.Office), span.Compile(b.Office)
			for _, text := range talk.NewTable(was).Told(talk.NewTable(is)) {
				fmt.Fprintln(out, text)
			}
			for _, c := range walk.Compare(was, is) {
				if len(c.Gains) > 0 {
					fmt.Fprintf(out, "%s gains %s\n", c.Port, strings.Join(api.Refs(c.Gains), ", "))
				}
				if len(c.Loses) > 0 {
					fmt.Fprintf(out, "%s loses %s\n", c.Port, strings.Join(api.Refs(c.Loses), ", "))
				}
				if len(c.Otherwise) > 0 {
					fmt.Fprintf(out, "%s reaches in another form %s\n", c.Port, strings.Join(api.Refs(c.Otherwise), ", "))
				}
			}
			return nil
		},
	}
}

// plainly is an edit with ports that nothing is set on any more shown as ports
// in no VLAN, which is what they are where no plan says otherwise.
func plainly(o *office.Office, e office.Edit) (out office.Edit) {
	for _, c := range e {
		if s, ok := c.After.(office.Setting); ok && s.Shape == nil {
			d := o.Device(s.Port.Device)
			if _, planned := o.Planned(d, d.Port(s.Port.Port)); !planned {
				s.Shape = &office.Shape{}
				c.After = s
			}
		}
		out = append(out, c)
	}
	return out
}
