package main

import (
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/round"
	"klammer/probe"
)

// probeCmd is klammer probe.
//
// Many branches: which flags go together is said here, each wrong pair in its own words.
func probeCmd() *cobra.Command {
	var into, asIs, port, list, on, to, token, known string
	var wait time.Duration
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "probe",
		Short: "What a laptop sees at a port, beside the plan",
		Long: `A laptop that plugs in and looks: who hands out an address, who answers, what is
let through.

At a network interface (--on eth0) it listens for the switch at the other end (LLDP),
asks for an address untagged and in each VLAN tagged, all at once (DHCP; IPv6 too),
asks every address of the office whether it answers there, and tries what the plan
lets through and what it does not. It takes no address and changes nothing on the
laptop. Beside a plan in a file (--into) or on a server (--to, with a token of its
view Round) it says what is otherwise, which mistakes explain it, the likeliest
first, what sets each as planned, and where to plug in next to tell them apart; to a
server it reports. Without a plan it tells what it sees.

Or it is played into an office as devices are set to (--into with --as-is); without
a port it walks the whole round then.

Exit status 0 says that all is as planned, 1 that it is not.`,
		Example: "  klammer probe --on eth0 --vlans 110,120\n  klammer probe --on eth0 --into planned.klm\n  klammer probe --on eth0 --to https://klammer.office:8443 --token ...\n  klammer probe --into planned.klm --as-is found.klm --port rack.1 --vlans 110,140",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			vlans, err := vlanList(list)
			if err != nil {
				return err
			}
			if on != "" {
				one := &measuring{on: on, port: port, vlans: vlans, wait: wait, json: asJSON}
				switch {
				case asIs != "":
					return errors.New("a laptop looks at a network interface (--on) or is played into devices as they are set (--as-is), not both")
				case asking.TwoPlans(to, into) != nil:
					return asking.TwoPlans(to, into)
				case wait < time.Second || wait > 5*time.Minute:
					return fmt.Errorf("--wait is between 1s and 5m: found %s", wait)
				case to != "":
					if one.plan, err = asking.ServerAt(to, asking.TokenOf(token), known); err != nil {
						return err
					}
				case into != "":
					file, err := asking.Read(cmd, into)
					if err != nil {
						return err
					}
					one.plan = &asking.AFile{Name: into, Plan: file.Office}
				case port != "":
					return errors.New("--port needs the plan that it is in: --into OFFICE.klm, or --to a server")
				}
				return one.run(cmd)
			}
			switch {
			case to != "":
				return errors.New("--to needs the network interface that is looked at: --on eth0")
			case into == "" || asIs == "":
				return errors.New("a probe needs a network interface (--on eth0), or the plan (--into OFFICE.klm) and what devices are set to (--as-is OTHER.klm)")
			case port == "" && len(vlans) > 0:
				return errors.New("--vlans needs the port that is plugged into: --port rack.1")
			}
			was, plan, err := readTwo(cmd, asIs, into)
			if err != nil {
				return err
			}
			r := round.Make(plan.Office)
			tests := r.Tests
			if port != "" {
				if tests, err = api.TestsAt(plan.Office, r, port, vlans); err != nil {
					return err
				}
			}
			probed := api.ProbedOf(plan.Office, r, r.Play(was.Office, tests))
			if asJSON {
				err = asking.PrintJSON(cmd, probed)
			} else {
				asking.PrintProbed(cmd.OutOrStdout(), probed)
			}
			for _, test := range probed.Tests {
				if err == nil && !test.Passed {
					err = asking.Status(1)
				}
			}
			return err
		},
	}
	cmd.Flags().StringVar(&into, "into", "", "the office as planned")
	cmd.Flags().StringVar(&asIs, "as-is", "", "the office as its devices are set to")
	cmd.Flags().StringVar(&port, "port", "", "where the laptop is plugged in; the whole round without it")
	cmd.Flags().StringVar(&on, "on", "", "a network interface of this machine to look at")
	cmd.Flags().StringVar(&to, "to", "", "a Klammer server that has the plan and keeps what is seen: https://klammer.office:8443")
	cmd.Flags().StringVar(&token, "token", "", "what lets the probe report there; KLAMMER_TOKEN says it too, and is in no list of processes")
	cmd.Flags().StringVar(&known, "fingerprint", "", "the SHA-256 of the server's certificate, where Klammer made that itself: klammer serve prints it")
	cmd.Flags().DurationVar(&wait, "wait", probe.Patience, "how long servers may take to hand out an address")
	cmd.Flags().StringVar(&list, "vlans", "", "VLAN IDs to tag with besides those of the plan: 110,120")
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}
