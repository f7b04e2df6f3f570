package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
	"klammer/proof/short"
)

// TestProbe makes a token at the page, by keyboard; a probe at a real interface, with a
// real server of addresses behind it, reports with it; the page shows what it saw; the
// token is ended, and the next report is refused.
func TestProbe(t *testing.T) {
	short.Skip(t)
	if os.Geteuid() != 0 {
		t.Skip("this needs root: network namespaces and raw sockets")
	}
	for _, x := range []string{"ip", "dnsmasq"} {
		if _, err := exec.LookPath(x); err != nil {
			t.Skipf("this needs %s: apt-get install iproute2 dnsmasq-base (./run test does)", x)
		}
	}
	space, near := fmt.Sprintf("klammer-%d", os.Getpid()), fmt.Sprintf("kl%d", os.Getpid()%1000000)
	must := func(args ...string) {
		out, err := exec.Command("ip", args...).CombinedOutput()
		require.NoError(t, err, "ip %v: %s", args, out)
	}
	must("netns", "add", space)
	t.Cleanup(func() { _ = exec.Command("ip", "netns", "del", space).Run() })
	must("link", "add", near, "type", "veth", "peer", "name", "eth0", "netns", space)
	t.Cleanup(func() { _ = exec.Command("ip", "link", "del", near).Run() })
	must("link", "set", near, "up")
	must("-n", space, "link", "set", "eth0", "up")
	must("-n", space, "addr", "add", "10.61.110.1/24", "dev", "eth0")
	dhcp := exec.Command("ip", "netns", "exec", space, "dnsmasq", "--keep-in-foreground", "--port=0", "--conf-file=/dev/null", "--pid-file=", "--user=root", "--interface=eth0",
		"--bind-interfaces", "--no-ping", "--dhcp-leasefile="+filepath.Join(t.TempDir(), "leases"), "--dhcp-range=10.61.110.50,10.61.110.99,600")
	require.NoError(t, dhcp.Start())
	t.Cleanup(func() { _ = dhcp.Process.Kill(); _ = dhcp.Wait() })

	ctx, p := start(t)
	press(t, ctx, "gu")
	until(t, ctx, `document.querySelectorAll(".round li").length > 20`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".bar button")].find(b => b.textContent.includes("laptop measure")).focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".probe form input") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys(".probe form input", "Robin’s laptop"+kb.Enter)))
	until(t, ctx, `document.querySelector(".probe .made code")?.textContent.includes("KLAMMER_TOKEN=klammer_")`)
	token := eval[string](t, ctx, `document.querySelector(".probe .made code").textContent.split("=")[1]`)

	probe := func() string {
		cmd := exec.Command(filepath.Join(stage.Root(), "bin", "klammer"), "probe", "--on", near, "--to", p.URL, "--port", "rack.9", "--wait", "1s")
		cmd.Env = append(os.Environ(), "KLAMMER_TOKEN="+token)
		out, _ := cmd.CombinedOutput()
		return string(out)
	}
	said := probe()
	require.Contains(t, said, "offers 10.61.110.")
	until(t, ctx, `[...document.querySelectorAll(".round li")].some(l => l.id === "stop-rack.9" && l.textContent.includes("measured, Robin’s laptop"))`)

	// Another server than planned is there: the page says which.
	dhcp.Process.Kill()
	must("-n", space, "addr", "add", "192.168.44.1/24", "dev", "eth0")
	stray := exec.Command("ip", "netns", "exec", space, "dnsmasq", "--keep-in-foreground", "--port=0", "--conf-file=/dev/null", "--pid-file=", "--user=root", "--interface=eth0",
		"--bind-interfaces", "--no-ping", "--dhcp-leasefile="+filepath.Join(t.TempDir(), "leases"), "--dhcp-range=192.168.44.10,192.168.44.20,600")
	require.NoError(t, stray.Start())
	t.Cleanup(func() { _ = stray.Process.Kill(); _ = stray.Wait() })
	require.Eventually(t, func() bool {
		out, err := exec.Command("ip", "netns", "exec", space, "cat", "/proc/net/udp").Output()
		return err == nil && strings.Contains(string(out), ":0043 ") // port 67
	}, time.Minute, 10*time.Millisecond)
	said = probe()
	require.Contains(t, said, "192.168.44.1 hands out 192.168.44.")
	until(t, ctx, `[...document.querySelectorAll(".round li.failed")].some(l => l.id === "stop-rack.9" && l.textContent.includes("192.168.44.1 hands out"))`)

	// Ended, it opens nothing any more, and what was seen is told all the same.
	_ = eval[any](t, ctx, `document.querySelector("[aria-label='End the token of Robin’s laptop']").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("dialog[open]")?.contains(document.activeElement) && document.activeElement.textContent.trim() === "End"`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("[aria-label='End the token of Robin’s laptop']") === null`)
	require.Contains(t, probe(), "this token is not known here, or somebody ended it")
}
