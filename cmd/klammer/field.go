package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/BurntSushi/toml"
	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/field"
	"klammer/field/standin"
)

// secretsFile reads credentials by name from a file.
func secretsFile(file string) (field.Secrets, error) {
	all := map[string]*field.Credentials{}
	if file != "" {
		meta, err := toml.DecodeFile(file, &all)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", file, err)
		}
		if more := meta.Undecoded(); len(more) > 0 {
			return nil, fmt.Errorf("%s: %s is nothing that credentials have: community, user, auth, auth_key, privacy, privacy_key, password, key, host_key, hosts, timeout, retries", file, more[0])
		}
		for name, credentials := range all {
			if err := credentials.Check(); err != nil {
				return nil, fmt.Errorf("%s: %s: %w", file, name, err)
			}
		}
	}
	return func(name string) (*field.Credentials, error) {
		if credentials := all[name]; credentials != nil {
			return credentials, nil
		}
		if file == "" {
			return nil, fmt.Errorf("the credentials %s are not said: name a file with --credentials, with [%s] and community = \"…\" in it", name, name)
		}
		return nil, fmt.Errorf("%s has no [%s]", file, name)
	}, nil
}

// asked is the devices that were named, or all that say how they are spoken to.
func asked(o *office.Office, names []string) ([]*office.Device, error) {
	var out []*office.Device
	if len(names) == 0 {
		for _, device := range o.Devices {
			if len(device.Speaks) > 0 {
				out = append(out, device)
			}
		}
		if out == nil {
			return nil, errors.New("no device says how it is spoken to: say so, as in rack speaks snmp")
		}
		return out, nil
	}
	draft := office.NewDraft(o)
	for _, name := range names {
		device, err := draft.FindDevice(name)
		if err != nil {
			return nil, err
		}
		out = append(out, device)
	}
	return out, nil
}

// readings reads devices side by side, in the office's order.
func readings(ctx context.Context, cmd *cobra.Command, o *office.Office, devices []*office.Device, dial field.Dialer) []field.Result {
	var out []field.Result
	quiet := true
	if file, ok := cmd.ErrOrStderr().(*os.File); ok && terminal(file) {
		quiet = false
	}
	dial.ReadAll(ctx, o, devices, func(result field.Result) {
		out = append(out, result)
		if !quiet {
			fmt.Fprintf(cmd.ErrOrStderr(), "\r\033[K%d of %d: %s", len(out), len(devices), result.Device)
		}
	})
	if !quiet {
		fmt.Fprint(cmd.ErrOrStderr(), "\r\033[K")
	}
	place := func(name string) int {
		return slices.IndexFunc(o.Devices, func(device *office.Device) bool { return device.Name == name })
	}
	slices.SortFunc(out, func(a, b field.Result) int { return place(a.Device) - place(b.Device) })
	return out
}

// failure is a device that could not be read.
type failure struct {
	Device string `json:"device"`
	Why    string `json:"why"`
}

func tellings(o *office.Office, all []field.Result) (told []*field.Telling, failed []failure) {
	told, failed = []*field.Telling{}, []failure{}
	for _, result := range all {
		if result.Err != nil {
			failed = append(failed, failure{result.Device, strings.ReplaceAll(result.Err.Error(), "\n", "; ")})
			continue
		}
		device := o.Device(result.Device)
		told = append(told, result.Reading.Telling(o, device, field.MatchPorts(device, result.Reading)))
	}
	return told, failed
}

func readCmd() *cobra.Command {
	var asJSON bool
	var credentials, out string
	cmd := &cobra.Command{
		Use:   "read FILE [DEVICE...]",
		Short: "Read what devices are set to and what they see, from themselves",
		Long: `Read devices over the protocols that they speak (speaks snmp, ovsdb or ssh in the
office): what their ports are set to, which VLANs they know, what is plugged in and
how fast, which network cards they have learnt, which devices they hear. Without
names, all that say how they are spoken to, side by side. What a device does not
tell is listed, and left as it is planned. -o writes the office as it is; what nobody
saw, as a device did not answer, is marked there ("# not seen: rack: …"), and an order
from such a file wants --unseen or --only.

Credentials are in a TOML file, by the name that the office gives them:

  [switches]
  community = "…"
  hosts = ["10.0.0.0/24"]      # they are sent there, and nowhere else
  timeout = "5s"               # for an answer of a slow device (2s)
  retries = 3                  # how often it is asked again (2)
  [core]                       # SNMP v3
  user = "klammer"
  auth = "SHA-256"
  auth_key = "…"
  privacy = "AES"
  privacy_key = "…"
  [hosts]                      # SSH
  user = "klammer"
  password = "…"               # or key = """…"""
  host_key = "SHA256:…"

Exit status 1 where a device could not be read.`,
		Example: "  klammer read demo/clinic.klm rack --credentials secrets.toml\n  klammer read office.klm -o as-is.klm",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, all, err := readDevices(cmd, args[0], args[1:], credentials)
			if err != nil {
				return err
			}
			told, failed := tellings(file.Office, all)
			if out != "" {
				by := map[string]*field.Reading{}
				for _, result := range all {
					if result.Err == nil {
						by[result.Device] = result.Reading
					}
				}
				o, err := field.AsFound(file.Office, by)
				if err != nil {
					return err
				}
				text := strings.Join(unseen(file.Office, all), "") + notation.Print(o)
				if err := os.WriteFile(out, []byte(text), 0o644); err != nil {
					return err
				}
			}
			if asJSON {
				if err := asking.PrintJSON(cmd, map[string]any{"devices": told, "failed": failed}); err != nil {
					return err
				}
			} else {
				printTold(cmd, told)
			}
			for _, failure := range failed {
				fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s\n", failure.Device, failure.Why)
			}
			if len(failed) > 0 {
				return asking.Status(1)
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	cmd.Flags().StringVar(&credentials, "credentials", "", "a TOML file with credentials by name")
	cmd.Flags().StringVarP(&out, "output", "o", "", "write the office as it is to a file")
	return cmd
}

func readDevices(cmd *cobra.Command, file string, names []string, credentials string) (*notation.File, []field.Result, error) {
	one, err := asking.Read(cmd, file)
	if err != nil {
		return nil, nil, err
	}
	devices, err := asked(one.Office, names)
	if err != nil {
		return nil, nil, err
	}
	secrets, err := secretsFile(credentials)
	if err != nil {
		return nil, nil, err
	}
	ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt)
	defer stop()
	return one, readings(ctx, cmd, one.Office, devices, field.Dialer{Secrets: secrets}), nil
}

func printTold(cmd *cobra.Command, all []*field.Telling) {
	out := cmd.OutOrStdout()
	for _, telling := range all {
		fmt.Fprintf(out, "%s, %s (%d requests)\n", telling.Device, telling.Source, telling.Requests)
		seen := map[string][]string{}
		for _, neighbour := range telling.Neighbours {
			text := "hears " + neighbour.Device + " " + neighbour.RemotePort
			if neighbour.Phone {
				text = "hears the phone " + neighbour.Device
			}
			if neighbour.Voice != 0 {
				text += fmt.Sprintf(" (voice in %d)", neighbour.Voice)
			}
			seen[neighbour.Port] = append(seen[neighbour.Port], text)
		}
		for _, card := range telling.Learnt {
			seen[card.Port] = append(seen[card.Port], fmt.Sprintf("%s in %d", card.MAC, card.VID))
		}
		for _, port := range telling.Ports {
			link := "    "
			if port.Link != nil {
				link = *port.Link
			}
			more := ""
			if s := seen[port.Port]; s != nil {
				if len(s) > 3 {
					s = append(s[:3:3], fmt.Sprintf("and %d more", len(s)-3))
				}
				more = "  " + strings.Join(s, ", ")
			}
			fmt.Fprintf(out, "  %-10s %-4s %s%s\n", port.Port, link, toldShape(port), more)
		}
		if routing := telling.Routing; routing != nil {
			for _, line := range routing.Lines {
				fmt.Fprintf(out, "  %s\n", line)
			}
			for _, line := range routing.Differs {
				fmt.Fprintf(out, "  otherwise: %s\n", line)
			}
			for _, line := range routing.Unsaid {
				fmt.Fprintf(out, "  cannot be said: %s\n", line)
			}
		}
		if len(telling.NotTold) > 0 {
			var what []string
			for _, told := range telling.NotTold {
				what = append(what, string(told))
			}
			fmt.Fprintf(out, "  not told: %s\n", strings.Join(what, ", "))
		}
		for _, x := range telling.Trouble {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s\n", telling.Device, x)
		}
	}
}

// toldShape is what a port is set to, as a shape where all of it was told.
func toldShape(port field.ToldPort) string {
	if port.Untagged == nil {
		return ""
	}
	shape := office.Shape{Off: port.Shut, Untagged: port.Untagged, Tagged: port.Tagged, PVIDSet: true}
	if port.PVID != nil {
		shape.PVID = *port.PVID
	}
	if port.Admit != nil {
		shape.Admit = map[string]office.Admit{office.AdmitTagged.String(): office.AdmitTagged, office.AdmitUntagged.String(): office.AdmitUntagged}[*port.Admit]
	}
	shape.FilterOff = port.Filter != nil && !*port.Filter
	return notation.Shape(shape.Normal())
}

func neighboursCmd() *cobra.Command {
	var asJSON bool
	var credentials string
	cmd := &cobra.Command{
		Use:     "neighbours FILE",
		Short:   "Cables as devices hear them (LLDP), beside the plan",
		Long:    "Read which devices hear which (IEEE 802.1AB), and hold that against the planned\ncables. Exit status 1 where a cable leads elsewhere than planned, or a device could\nnot be read.",
		Example: "  klammer neighbours demo/clinic.klm",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, all, err := readDevices(cmd, args[0], nil, credentials)
			if err != nil {
				return err
			}
			told, failed := tellings(file.Office, all)
			cables := field.Cables(file.Office, told)
			if asJSON {
				if err := asking.PrintJSON(cmd, map[string]any{"cables": cables, "failed": failed}); err != nil {
					return err
				}
			}
			bad := len(failed) > 0
			for _, seen := range cables {
				text := map[field.Heard]string{field.HeardBoth: "as planned", field.HeardOne: "as planned, heard from one end", field.HeardNone: "planned, and not heard", field.HeardUnsaid: "planned; an end does not tell"}[seen.Heard]
				if !seen.Planned {
					text = "heard, and not planned"
					bad = bad || seen.Known
				}
				for _, x := range seen.Says {
					text += "; " + x
				}
				if !asJSON {
					fmt.Fprintf(cmd.OutOrStdout(), "%s - %s: %s\n", seen.A, seen.B, text)
				}
			}
			for _, failure := range failed {
				fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s\n", failure.Device, failure.Why)
			}
			if bad {
				return asking.Status(1)
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	cmd.Flags().StringVar(&credentials, "credentials", "", "a TOML file with credentials by name")
	return cmd
}

func carryOutCmd() *cobra.Command {
	var yes, although, rehearse, unseenToo bool
	var visit, from int
	var credentials string
	cmd := &cobra.Command{
		Use:   "carry-out AS-IS PLANNED",
		Short: "Carry a work order out, by the devices themselves",
		Long: `Work out the order from AS-IS to PLANNED and carry it out over the protocols that
the devices speak: each step is set and read back, one visit at a time after a yes.
A device that is set otherwise than foretold stops it, and the step can be taken
back. What a person has to do (cables, the laptop, management) is said and waited
for; with --yes it stops there, and --from goes on behind it. --rehearse reads each
device, lists every write, and sends none. Where the plan has findings that break at
a device, they are said, and the device is set only with --although.

Exit status 1 where it stopped before the end.`,
		Example: "  klammer carry-out as-is.klm planned.klm --visit 1",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			was, plan, err := readTwo(cmd, args[0], args[1])
			if err != nil {
				return err
			}
			if err := seenAll(cmd, was, nil, unseenToo); err != nil {
				return err
			}
			secrets, err := secretsFile(credentials)
			if err != nil {
				return err
			}
			told, err := order.Make(order.Seated(was.Office), plan.Office, order.Options{})
			var no *order.Impossible
			if errors.As(err, &no) {
				fmt.Fprintln(cmd.ErrOrStderr(), no)
				return asking.Status(2)
			}
			if err != nil {
				return err
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt)
			defer stop()
			one := &carrying{cmd: cmd, order: told, yes: yes, although: although, rehearse: rehearse, broken: api.BrokenIn(finding.Check(span.Compile(plan.Office))), in: bufio.NewReader(cmd.InOrStdin()), carrier: field.Carrier{Dialer: field.Dialer{Secrets: secrets, Speaks: spoken(was.Office, plan.Office)}}}
			defer one.carrier.Close()
			return one.run(ctx, visit, from)
		},
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask before each visit")
	cmd.Flags().BoolVar(&although, "although", false, "also where the plan has findings that break at the device")
	cmd.Flags().BoolVar(&unseenToo, "unseen", false, "also where AS-IS says of something that nobody saw it")
	cmd.Flags().BoolVar(&rehearse, "rehearse", false, "read each device, list every write, and send none")
	cmd.Flags().IntVar(&visit, "visit", 0, "only this visit, counted from 1")
	cmd.Flags().IntVar(&from, "from", 1, "begin at this step, counted from 1: those before are done")
	cmd.Flags().StringVar(&credentials, "credentials", "", "a TOML file with credentials by name")
	return cmd
}

// spoken is how devices are spoken to: as they are now, or else as planned.
func spoken(was, plan *office.Office) map[string][]office.Speaks {
	out := map[string][]office.Speaks{}
	for _, o := range []*office.Office{plan, was} {
		for _, device := range o.Devices {
			if len(device.Speaks) > 0 {
				out[device.Name] = device.Speaks
			}
		}
	}
	return out
}

// carrying is an order that is being carried out at a terminal.
type carrying struct {
	cmd                *cobra.Command
	order              *order.Order
	yes                bool
	in                 *bufio.Reader
	broken             []api.Broken // of the plan
	although, rehearse bool
	carrier            field.Carrier
}

// ask asks a question that is answered with yes or no.
func (c *carrying) ask(question string) bool {
	fmt.Fprintf(c.cmd.OutOrStdout(), "%s [y/N] ", question)
	answer, _ := c.in.ReadString('\n')
	answer = strings.ToLower(strings.TrimSpace(answer))
	return answer == "y" || answer == "yes"
}

// run carries out the steps from one on, of one visit alone or (only 0) of all.
func (c *carrying) run(ctx context.Context, only, from int) error {
	out := c.cmd.OutOrStdout()
	told := c.order
	if only > len(told.Visits) || from < 1 || from > len(told.Steps)+1 {
		return fmt.Errorf("the order has %d visits and %d steps", len(told.Visits), len(told.Steps))
	}
	at := -1
	var unsaved []string
	for i := range told.Steps {
		st := &told.Steps[i]
		if i+1 < from || only > 0 && st.Visit != only-1 {
			continue
		}
		if st.Visit != at {
			at = st.Visit
			if err := c.begin(at, i); err != nil {
				return err
			}
		}
		before := told.Was
		if i > 0 {
			before = told.Steps[i-1].After
		}
		if c.rehearse {
			if err := c.rehearsed(ctx, max(0, from-1), i, before); err != nil {
				return err
			}
			continue
		}
		saved, err := c.step(ctx, i, before)
		if err != nil {
			return err
		}
		if !saved {
			unsaved = append(unsaved, st.Device)
		}
	}
	if c.rehearse {
		fmt.Fprintln(out, "Rehearsed: nothing was sent.")
		return nil
	}
	fmt.Fprintln(out, "Carried out.")
	if len(unsaved) > 0 {
		slices.Sort(unsaved)
		fmt.Fprintf(out, "Not saved, and lost at a power cut until you do: %s.\n", strings.Join(slices.Compact(unsaved), ", "))
	}
	return nil
}

// begin tells a visit from step i on, and asks whether it is to be.
func (c *carrying) begin(at, i int) error {
	out, told := c.cmd.OutOrStdout(), c.order
	visit := told.Visits[at]
	fmt.Fprintf(out, "Visit %d: %s\n", at+1, visit.Device)
	for k := i; k < len(told.Steps) && told.Steps[k].Visit == at; k++ {
		fmt.Fprintf(out, "  %d. %s\n", k+1, told.Steps[k].Text)
	}
	if c.breaks(visit.Device) && !c.although && !c.rehearse {
		fmt.Fprintf(out, "Stopped before step %d: mend the plan, or say --although.\n", i+1)
		return asking.Status(1)
	}
	if !c.yes && !c.rehearse && !c.ask("Carry it out?") {
		fmt.Fprintf(out, "Stopped before step %d.\n", i+1)
		return asking.Status(1)
	}
	return nil
}

// step has the device do step i, or somebody where it cannot; saved is false where what is set
// stays to be saved by hand when all is done. Any other end is a status, and told.
func (c *carrying) step(ctx context.Context, i int, before *office.Office) (saved bool, err error) {
	out, st := c.cmd.OutOrStdout(), &c.order.Steps[i]
	err = c.carrier.Step(ctx, before, st.After, st.Device, st.Kind)
	var hand *field.ByHand
	var odd *field.Unforetold
	switch {
	case err == nil:
		fmt.Fprintf(out, "  step %d done\n", i+1)
		return true, nil
	case c.yes && st.Kind == order.Save && errors.As(err, &hand):
		fmt.Fprintf(out, "  step %d is for you, when all is done: %s\n", i+1, hand.Why)
		return false, nil
	case errors.As(err, &hand):
		fmt.Fprintf(out, "  step %d is for you: %s (%s)\n", i+1, st.Text, hand.Why)
		if !c.yes && c.ask("Done?") {
			return true, nil
		}
		fmt.Fprintf(out, "Stopped before step %d; go on behind it with --from %d.\n", i+1, i+2)
		return true, asking.Status(1)
	}
	fmt.Fprintf(c.cmd.ErrOrStderr(), "step %d: %s\n", i+1, err)
	if errors.As(err, &odd) && odd.After && !c.yes && c.ask("Take the step back?") {
		if err := c.carrier.Back(ctx, before, st.Device); err != nil {
			return true, err
		}
		fmt.Fprintf(out, "Step %d is taken back.\n", i+1)
	}
	fmt.Fprintf(out, "Stopped at step %d.\n", i+1)
	return true, asking.Status(1)
}

// breaks says which findings of the plan break at a device.
func (c *carrying) breaks(device string) (some bool) {
	for _, broken := range c.broken {
		if slices.Contains(broken.Devices, device) {
			some = true
			fmt.Fprintf(c.cmd.ErrOrStderr(), "%s, as planned: %s\n", device, broken.Text)
		}
	}
	return some
}

// rehearsed lists what a step would send; from is the first step of the rehearsal, before
// which the devices are as they are now.
func (c *carrying) rehearsed(ctx context.Context, from, i int, before *office.Office) error {
	out, st := c.cmd.OutOrStdout(), &c.order.Steps[i]
	begun := c.order.Was
	if from > 0 {
		begun = c.order.Steps[from-1].After
	}
	writes, err := c.carrier.Rehearse(ctx, field.Rehearsal{Begun: begun, Before: before, After: st.After, Device: st.Device, Kind: st.Kind})
	var hand *field.ByHand
	switch {
	case errors.As(err, &hand):
		fmt.Fprintf(out, "  step %d is for you: %s\n", i+1, hand.Why)
	case err != nil:
		fmt.Fprintf(c.cmd.ErrOrStderr(), "step %d: %s\n", i+1, err)
		return asking.Status(1)
	default:
		fmt.Fprintf(out, "  step %d\n", i+1)
		for _, word := range writes {
			fmt.Fprintf(out, "    %s\n", word)
		}
	}
	return nil
}

func standinCmd() *cobra.Command {
	var asJSON bool
	var asIs, out string
	var port int
	var opt standin.Options
	var readOnly, communities []string
	cmd := &cobra.Command{
		Use:   "standin FILE",
		Short: "Play the devices of an office on loopback, for trying things out",
		Long: `Play every device of an office: each answers SNMP v2c on a port of its own, with
the habits of its wording, what it refuses, what it forgets at a power cut, the
network cards that frames bring it and the devices that it hears. Prints where each
listens, and plays until Ctrl-C. -o writes the office with those addresses, for
klammer read. On standard input, power-cut DEVICE takes a device's power for a
moment. What runs is saved by setting ` + standin.SaveObject + ` to 1.`,
		Example: "  klammer standin demo/clinic.klm --as-is demo/clinic-as-is.klm -o played.klm",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			var was *office.Office
			if asIs != "" {
				other, err := asking.Read(cmd, asIs)
				if err != nil {
					return err
				}
				was = other.Office
			}
			opt.ReadOnly = map[string]bool{}
			for _, d := range readOnly {
				opt.ReadOnly[d] = true
			}
			opt.Communities = communities
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			network, at, err := standin.Start(ctx, file.Office, was, port, opt)
			if err != nil {
				return err
			}
			defer network.Wait()
			defer stop()
			if out != "" {
				if err := os.WriteFile(out, []byte(notation.Print(played(file.Office, at))), 0o644); err != nil {
					return err
				}
			}
			if asJSON {
				if err := asking.PrintJSON(cmd, map[string]any{"devices": at}); err != nil {
					return err
				}
			} else {
				for _, listener := range at {
					fmt.Fprintf(cmd.OutOrStdout(), "%s %s %s\n", listener.Device, listener.Speaks, listener.At)
				}
			}
			go func() {
				lines := bufio.NewScanner(cmd.InOrStdin())
				for lines.Scan() {
					name, ok := strings.CutPrefix(strings.TrimSpace(lines.Text()), "power-cut ")
					if !ok {
						fmt.Fprintln(cmd.ErrOrStderr(), "power-cut DEVICE is what there is to say")
						continue
					}
					if err := network.PowerCut(strings.TrimSpace(name)); err != nil {
						fmt.Fprintln(cmd.ErrOrStderr(), err)
						continue
					}
					fmt.Fprintf(cmd.OutOrStdout(), "%s was without power, and runs what it had saved\n", name)
				}
			}()
			<-ctx.Done()
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "where they listen as one JSON document")
	cmd.Flags().StringVar(&asIs, "as-is", "", "the same office as its devices are set to")
	cmd.Flags().StringVarP(&out, "output", "o", "", "write the office with where each listens")
	cmd.Flags().IntVar(&port, "port", 20161, "the first port that is listened on; 0 for any")
	cmd.Flags().StringSliceVar(&communities, "community", nil, "the communities that are answered (public, private)")
	cmd.Flags().DurationVar(&opt.Delay, "delay", time.Duration(0), "how long each answer takes")
	cmd.Flags().Float64Var(&opt.Loss, "loss", 0, "the share of requests that get lost, 0 to 1")
	cmd.Flags().StringSliceVar(&readOnly, "read-only", nil, "devices that refuse to be set")
	return cmd
}

// played is an office whose devices are where stand-ins listen.
func played(o *office.Office, at []standin.Listener) *office.Office {
	out := *o
	out.Devices = slices.Clone(o.Devices)
	for i, device := range out.Devices {
		other := device.Clone()
		for _, listener := range at {
			if listener.Device == device.Name {
				other.Speaks = []office.Speaks{{Protocol: office.SNMP, At: listener.At}}
			}
		}
		out.Devices[i] = other.Seal()
	}
	return &out
}
