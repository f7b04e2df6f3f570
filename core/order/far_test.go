package order

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestFar: a device that stands elsewhere than the laptop, and may be lost by a step, is told
// with the order and at the step: somebody is to be there, or it takes the step back by itself.
// One beside the laptop, one whose place nobody said, and one that is only set at a desk's port
// is not.
func TestFar(t *testing.T) {
	at := func(rack, barn, wording string) string {
		text := strings.Replace(harbour, "device rack switch\n", "device rack switch\n"+rack, 1)
		return strings.Replace(text, "device barn switch\n  ports 1-4\n", "device barn switch\n  ports 1-4\n  wording "+wording+"\n"+barn, 1)
	}
	more := func(text string) string {
		return "vlan 30 phones\n" + strings.NewReplacer("  6: [10 20 90]", "  6: [10 20 30 90]", "  4: [10 20 90]", "  4: [10 20 30 90]").Replace(text)
	}
	for _, x := range []struct{ says, was, plan, far, told string }{
		{"elsewhere", at("  place \"clinic/cellar\"\n", "  place \"farm/barn\"\n", "by-port"), "", "barn (farm/barn) stands elsewhere than you sit, and may be lost after step", "Somebody is at barn (farm/barn) for this"},
		{"elsewhere, and it takes steps back by itself", at("  place \"clinic/cellar\"\n", "  place \"farm/barn\"\n", "by-port confirms 5"), "", "takes that back by itself in 5 minutes", "unless it is confirmed within 5 minutes"},
		{"beside the laptop", at("  place \"clinic/cellar\"\n", "  place \"clinic/cellar\"\n", "by-port"), "", "", ""},
		{"nobody said where", at("  place \"clinic/cellar\"\n", "", "by-port"), "", "", ""},
		{"at a desk's port", at("  place \"clinic/cellar\"\n", "  place \"farm/barn\"\n", "by-port"), "desk", "", ""},
	} {
		plan := more(x.was)
		if x.plan != "" {
			plan = strings.Replace(x.was, "  3: 20\n  4:", "  3: 10\n  4:", 1)
		}
		o, err := Make(readOffice(t, x.was), readOffice(t, plan), Options{})
		require.NoError(t, err, x.says)
		require.NotEmpty(t, o.Steps, x.says)
		told := ""
		for _, s := range o.Steps {
			told += strings.Join(s.Told, "\n")
		}
		if x.far == "" {
			require.Empty(t, o.Far, x.says)
			require.NotContains(t, o.Summary(), "may be lost", x.says)
			require.NotContains(t, told, "Somebody is at", x.says)
			continue
		}
		require.Len(t, o.Far, 1, x.says)
		require.Contains(t, o.Summary(), "1 device elsewhere may be lost", x.says)
		require.Contains(t, o.Far[0], x.far, x.says)
		require.Contains(t, told, x.told, x.says)
	}
}
