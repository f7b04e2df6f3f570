// Package asking is what commands share that put what a laptop sees beside a plan: the plan in
// a file or on a server, and how what was seen is printed.
package asking

import (
	"cmp"
	"context"
	"errors"
	"os"

	"klammer/api"
	"klammer/core/office"
	"klammer/core/round"
)

// Beside is a plan that a laptop puts what it sees beside.
type Beside interface {
	// Ask is what to try at a port, or at the one that is heard.
	Ask(ctx context.Context, ask api.ProbeAsk) (*api.ProbeLooks, error)
	// Judge puts what was seen beside it.
	Judge(ctx context.Context, report api.ProbeReport) (*api.Probed, error)
}

// AFile is a plan in a file.
type AFile struct {
	Name string
	Plan *office.Office
	made *round.Round
}

// round is the plan's round.
func (f *AFile) round() *round.Round {
	if f.made == nil {
		f.made = round.Make(f.Plan)
	}
	return f.made
}

func (f *AFile) tests(port string, vlans []int) ([]round.Test, error) {
	return api.TestsAt(f.Plan, f.round(), port, vlans)
}

// Ask tells what to try.
func (f *AFile) Ask(_ context.Context, ask api.ProbeAsk) (*api.ProbeLooks, error) {
	port, err := api.PortHeard(f.Plan, ask)
	if err != nil {
		return nil, err
	}
	tests, err := f.tests(port, ask.VLANs)
	if err != nil {
		return nil, err
	}
	looks := &api.ProbeLooks{Office: f.Name, Port: port, Looks: []api.ProbeLook{}}
	for _, test := range tests {
		looks.Looks = append(looks.Looks, api.ProbeLookOf(f.made, test))
	}
	return looks, nil
}

// Judge puts what was seen beside the file.
func (f *AFile) Judge(_ context.Context, report api.ProbeReport) (*api.Probed, error) {
	var vlans []int
	for _, saw := range report.Saw {
		if saw.Wire != nil {
			vlans = append(vlans, *saw.Wire)
		}
	}
	tests, err := f.tests(report.Port, vlans)
	if err != nil {
		return nil, err
	}
	var all []round.Played
	for k := range report.Saw {
		test, err := api.TestOfWire(tests, report.Saw[k].Wire)
		if err != nil {
			return nil, err
		}
		if report.Saw[k].Looked {
			all = append(all, f.made.JudgeLooked(test, report.Saw[k].OfLooked(test)))
		} else {
			all = append(all, f.made.Judge(test, report.Saw[k].Round(f.made.Look(test))))
		}
	}
	return api.ProbedOf(f.Plan, f.made, all), nil
}

// TwoPlans says that the plan cannot be both in a file and on a server.
func TwoPlans(to, into string) error {
	if to != "" && into != "" {
		return errors.New("the plan is in a file (--into) or on a server (--to), not both")
	}
	return nil
}

// TokenOf is the token that was said, or that the environment has, so that no list of processes
// shows it.
func TokenOf(said string) string { return cmp.Or(said, os.Getenv("KLAMMER_TOKEN")) }
