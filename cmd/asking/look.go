package asking

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"strings"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/look"
)

// Looking is what a laptop saw without rights: what `klammer look --json` prints.
type Looking struct {
	On      string      `json:"on"`
	Address string      `json:"address"`
	Bits    int         `json:"bits,omitempty"`
	Gateway string      `json:"gateway,omitempty"`
	Server  string      `json:"server,omitempty"`
	DNS     []string    `json:"dns"`
	VLAN    *office.VID `json:"vlan"`           // null where no plan says
	Port    string      `json:"port,omitempty"` // where the laptop is plugged in
	Tried   []LookTried `json:"tried"`
	*api.Probed
}

// LookTried is something that was tried.
type LookTried struct {
	To      string `json:"to"`
	Service string `json:"service"`
	Ended   string `json:"ended"` // as in [api.Endings]
	How     string `json:"how"`
}

// LookCmd is the command that looks: of klammer, and of the one small program for laptops.
func LookCmd() *cobra.Command {
	var into, port, on, to, token, known string
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "look",
		Short: "What this laptop was given, what it reaches, and in which VLAN that is",
		Long: `What any laptop can tell without rights, on Linux, Windows and macOS: the address,
mask, gateway and name servers that its own system was given, and by whom; then it
pings and connects. Nothing is changed, and nothing is sent but that.

Beside a plan in a file (--into) it says in which VLAN that is; with the port that
it is plugged into (--port) whether it is as planned, and which mistakes explain
what is not. To a server (--to, with a token of its view Round) it reports. Frames
with tags it cannot send: klammer probe does, on Linux.

Exit status 0 says that all is as planned, 1 that it is not.`,
		Example: "  klammer look\n  klammer look --into planned.klm\n  klammer look --into planned.klm --port rack.5\n  klammer look --to https://klammer.office:8443 --token ... --port rack.5",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := TwoPlans(to, into); err != nil {
				return err
			}
			var plan Beside
			var file *AFile
			switch {
			case to != "" && port == "":
				return errors.New("say which port this laptop is plugged into: --port rack.5")
			case to == "" && into == "" && port != "":
				return errors.New("--port needs the plan that it is in: --into OFFICE.klm, or --to a server")
			case to != "":
				server, err := ServerAt(to, TokenOf(token), known)
				if err != nil {
					return err
				}
				plan = server
			case into != "":
				one, err := Read(cmd, into)
				if err != nil {
					return err
				}
				file = &AFile{Name: into, Plan: one.Office}
				if port != "" {
					plan = file
				}
			}
			card, err := look.Card(cmd.Context(), on)
			if err != nil {
				return err
			}
			seen := lookingOf(card)
			if file != nil {
				seen.VLAN = file.where(card.Addr)
			}
			if plan == nil {
				seen.try(cmd.Context(), ownTries(card))
			} else if err := seen.beside(cmd.Context(), plan, port); err != nil {
				return err
			}
			if asJSON {
				err = PrintJSON(cmd, seen)
			} else {
				seen.print(cmd.OutOrStdout(), file)
			}
			if err == nil && seen.Probed != nil && !Passed(seen.Probed) {
				return Status(1)
			}
			return err
		},
	}
	cmd.Flags().StringVar(&into, "into", "", "the office as planned")
	cmd.Flags().StringVar(&port, "port", "", "where this laptop is plugged in")
	cmd.Flags().StringVar(&on, "on", "", "the network card; the one towards the default gateway without it")
	cmd.Flags().StringVar(&to, "to", "", "a Klammer server that has the plan and keeps what is seen: https://klammer.office:8443")
	cmd.Flags().StringVar(&token, "token", "", "what lets this report there; KLAMMER_TOKEN says it too")
	cmd.Flags().StringVar(&known, "fingerprint", "", "the SHA-256 of the server's certificate, where Klammer made that itself")
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

func text(addr netip.Addr) string {
	if !addr.IsValid() {
		return ""
	}
	return addr.String()
}

func lookingOf(card look.Lease) *Looking {
	looking := &Looking{On: card.On, Address: text(card.Addr), Bits: card.Bits, Gateway: text(card.Gateway), Server: text(card.Server), DNS: []string{}, Tried: []LookTried{}}
	for _, addr := range card.DNS {
		looking.DNS = append(looking.DNS, addr.String())
	}
	return looking
}

// ownTries is what one tries without a plan: the gateway, and whom one asks for names.
func ownTries(card look.Lease) (out []round.Try) {
	if card.Gateway.IsValid() {
		out = append(out, round.Try{To: card.Gateway, Service: office.Service{Protocol: office.Ping}})
	}
	for _, addr := range card.DNS {
		out = append(out, round.Try{To: addr, Service: office.Service{Protocol: office.UDP, First: 53, Last: 53}})
	}
	return out
}

// try tries things, and notes how they ended.
func (x *Looking) try(ctx context.Context, all []round.Try) {
	for _, tried := range look.Try(ctx, all) {
		x.Tried = append(x.Tried, LookTried{tried.To.String(), tried.Service.String(), api.Endings[tried.Ended], tried.How})
	}
}

// beside tries what a plan says of a port, and has it judged.
func (x *Looking) beside(ctx context.Context, plan Beside, port string) error {
	looks, err := plan.Ask(ctx, api.ProbeAsk{Port: port})
	if err != nil {
		return err
	}
	x.Port = looks.Port
	for i := range looks.Looks {
		one := &looks.Looks[i]
		if one.Wire != nil {
			continue
		}
		var all []round.Try
		for _, sees := range one.Reach {
			if try, ok := tryOf(sees); ok && !sees.Routed {
				all = append(all, try)
			}
		}
		x.try(ctx, all)
		saw := api.ProbeSaw{
			Looked: true, From: x.Address, Lease: &api.Lease{Bits: x.Bits, Gateway: x.Gateway, Server: x.Server}, Planned: one.Planned,
			Offers: []api.ProbeOffer{}, Routers: []api.ProbeRouter{}, Answers: []api.ProbeAnswer{}, Tried: []api.ProbeTried{},
		}
		for _, tried := range x.Tried {
			saw.Tried = append(saw.Tried, api.ProbeTried(tried))
		}
		x.Probed, err = plan.Judge(ctx, api.ProbeReport{ID: looks.ID, Port: looks.Port, Saw: []api.ProbeSaw{saw}})
		return err
	}
	return fmt.Errorf("nothing is looked for untagged at %s", Spaced(looks.Port))
}

// tryOf is what a laptop tries for a line of a test; false for a name that is no address.
func tryOf(sees api.PlugSees) (try round.Try, ok bool) {
	addr, err := netip.ParseAddr(sees.To)
	services, wrong := notation.ReadServices(&office.Office{}, sees.Service)
	if err != nil || wrong != nil || len(services) != 1 {
		return try, false
	}
	return round.Try{To: addr, Service: services[0]}, true
}

// where is the VLAN of an address in a plan; nil for none.
func (f *AFile) where(addr netip.Addr) *office.VID {
	if vid := f.round().Where(addr); vid != 0 {
		return &vid
	}
	return nil
}

// print prints it as somebody would tell it.
func (x *Looking) print(out io.Writer, file *AFile) {
	line := x.On + " has "
	if x.Address == "" {
		line += "no address: nobody handed one out"
	} else {
		line += x.Address
		if x.Bits > 0 {
			line += fmt.Sprintf("/%d", x.Bits)
		}
	}
	if x.Gateway != "" {
		line += ", gateway " + x.Gateway
	}
	if x.Server != "" {
		line += ", handed out by " + x.Server
	}
	if len(x.DNS) > 0 {
		line += ", asks " + strings.Join(x.DNS, " and ") + " for names"
	}
	fmt.Fprintln(out, line)
	switch {
	case x.VLAN != nil:
		name := ""
		if vlan := file.Plan.VLAN(*x.VLAN); vlan != nil {
			name = " " + vlan.Name
		}
		fmt.Fprintf(out, "That is VLAN %d%s.\n", *x.VLAN, name)
	case file != nil && x.Address != "":
		fmt.Fprintln(out, "No VLAN of the plan has such an address.")
	}
	for _, tried := range x.Tried {
		fmt.Fprintf(out, "      %s %s: %s\n", tried.To, tried.Service, tried.How)
	}
	if x.Probed != nil {
		PrintProbed(out, x.Probed)
	}
}
