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
			return change(cmd, args, inPlace, func(net *span.Net, vid office.VID, ref office.PortRef) (*command.Answer, error) {
				return command.Bring(net, vid, ref, as)
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
	file, err := asking.Read(cmd, args[0])
	if err != nil {
		return err
	}
	vid, err := vlanArg(file.Office, args[1])
	if err != nil {
		return err
	}
	ref, err := portArg(file.Office, args[2])
	if err != nil {
		return err
	}
	answer, err := do(span.Compile(file.Office), vid, ref)
	if err != nil {
		return err
	}
	lines, _ := notation.Statements(answer.Office, plainly(answer.Office, answer.Edit))
	for _, line := range lines {
		fmt.Fprintln(cmd.OutOrStdout(), line)
	}
	say := func(format string, args ...any) { fmt.Fprintf(cmd.ErrOrStderr(), format+"\n", args...) }
	if len(lines) == 0 {
		say("nothing to change")
	}
	if len(answer.Learn) > 0 {
		say("VLAN %d is new to %s", vid, strings.Join(answer.Learn, ", "))
	}
	if len(answer.Followers) > 0 {
		say("departs from its port plan: %s", strings.Join(api.Refs(answer.Followers), ", "))
	}
	for _, r := range slices.Concat(answer.Limits, answer.Remarks) {
		say("%s", r)
	}
	if inPlace {
		return write(args[0], file.WithOffice(answer.Office))
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
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			other, err := asking.Read(cmd, args[1])
			if err != nil {
				return err
			}
			out := cmd.OutOrStdout()
			fmt.Fprintf(out, "%s", diff.Diff(args[0], []byte(notation.Print(file.Office)), args[1], []byte(notation.Print(other.Office))))
			was, is := span.Compile(file.Office), span.Compile(other.Office)
			for _, text := range talk.NewTable(was).Told(talk.NewTable(is)) {
				fmt.Fprintln(out, text)
			}
			for _, one := range walk.Compare(was, is) {
				if len(one.Gains) > 0 {
					fmt.Fprintf(out, "%s gains %s\n", one.Port, strings.Join(api.Refs(one.Gains), ", "))
				}
				if len(one.Loses) > 0 {
					fmt.Fprintf(out, "%s loses %s\n", one.Port, strings.Join(api.Refs(one.Loses), ", "))
				}
				if len(one.Otherwise) > 0 {
					fmt.Fprintf(out, "%s reaches in another form %s\n", one.Port, strings.Join(api.Refs(one.Otherwise), ", "))
				}
			}
			return nil
		},
	}
}

// plainly is an edit with ports that nothing is set on any more shown as ports
// in no VLAN, which is what they are where no plan says otherwise.
func plainly(o *office.Office, edit office.Edit) (out office.Edit) {
	for _, one := range edit {
		if setting, ok := one.After.(office.Setting); ok && setting.Shape == nil {
			device := o.Device(setting.Port.Device)
			if _, planned := o.Planned(device, device.Port(setting.Port.Port)); !planned {
				setting.Shape = &office.Shape{}
				one.After = setting
			}
		}
		out = append(out, one)
	}
	return out
}
