package look

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"runtime"
	"strings"
	"syscall"
	"time"

	"klammer/core/office"
	"klammer/core/round"
	"klammer/mishap"
	"klammer/probe"
)

// Tried is how a try ended, and how that was told.
type Tried struct {
	round.Try
	Ended round.Ended
	How   string
}

// wait is how long a try may take; side by side are some, as a laptop is no scanner.
const (
	wait  = 3 * time.Second
	abeam = 8
)

// Try tries things, several at a time, and tells in their order how they ended.
func Try(ctx context.Context, all []round.Try) []Tried {
	out := make([]Tried, len(all))
	var group mishap.Group
	turn := make(chan struct{}, abeam)
	for i, one := range all {
		group.Go(func() {
			turn <- struct{}{}
			defer func() { <-turn }()
			out[i] = try(ctx, one)
		})
	}
	group.Wait()
	return out
}

func try(ctx context.Context, one round.Try) Tried {
	tried := Tried{Try: one, Ended: round.Untold}
	switch one.Service.Protocol {
	case office.Ping:
		tried.Ended, tried.How = ping(ctx, one.To)
	case office.TCP:
		tried.Ended, tried.How = connect(ctx, netip.AddrPortFrom(one.To, one.Service.First))
	case office.UDP:
		tried.Ended, tried.How = question(ctx, netip.AddrPortFrom(one.To, one.Service.First))
	default:
		tried.How = "a laptop cannot try it"
	}
	return tried
}

// ping asks by the system's own command, which needs no rights.
func ping(ctx context.Context, to netip.Addr) (round.Ended, string) {
	args := []string{"-n", "-c", "2", "-i", "0.5", "-W", "2", to.String()}
	switch runtime.GOOS {
	case "windows":
		args = []string{"-n", "2", "-w", "2000", to.String()}
	case "darwin":
		args = []string{"-n", "-c", "2", "-i", "0.5", "-t", "3", to.String()}
	}
	name := "ping"
	if runtime.GOOS == "darwin" && to.Is6() {
		name, args = "ping6", []string{"-n", "-c", "2", to.String()}
	}
	text, err := run(ctx, name, args...)
	return pinged(text, err)
}

// pinged reads what ping says: an answer has a time to live in every language, and a router
// that says that nothing is there has none.
func pinged(text string, err error) (round.Ended, string) {
	low := strings.ToLower(text)
	if strings.Contains(low, "ttl=") || strings.Contains(low, "hlim=") || err == nil && runtime.GOOS != "windows" {
		return round.Answered, "it answers"
	}
	var missing *net.OpError
	if text == "" && !errors.As(err, &missing) && strings.Contains(fmt.Sprint(err), "executable file not found") {
		return round.Untold, "this machine has no ping"
	}
	return round.Silent, "nothing comes back"
}

// connect opens a connection and closes it at once.
func connect(ctx context.Context, to netip.AddrPort) (round.Ended, string) {
	dialer := net.Dialer{Timeout: wait}
	conn, err := dialer.DialContext(ctx, "tcp", to.String())
	switch {
	case err == nil:
		conn.Close()
		return round.Answered, "it opens"
	case errors.Is(err, syscall.ECONNREFUSED):
		return round.Refused, "it is refused, by " + to.Addr().String() + " or in its name"
	}
	return round.Silent, "nothing comes back"
}

// question asks what a service of UDP answers, where one is known.
func question(ctx context.Context, to netip.AddrPort) (round.Ended, string) {
	ask := probe.Question(to.Port())
	if ask == nil {
		return round.Untold, "who takes it need not say so"
	}
	dialer := net.Dialer{Timeout: wait}
	conn, err := dialer.DialContext(ctx, "udp", to.String())
	if err != nil {
		return round.Silent, "nothing comes back"
	}
	defer conn.Close()
	if err := conn.SetDeadline(time.Now().Add(wait)); err != nil {
		return round.Untold, err.Error()
	}
	buffer := make([]byte, 512)
	for range 2 { // one may be lost
		if _, err := conn.Write(ask); err != nil {
			return round.Untold, "it is refused"
		}
		if _, err := conn.Read(buffer); err == nil {
			return round.Answered, "it answers"
		}
	}
	return round.Untold, "nothing comes back, which says nothing"
}
