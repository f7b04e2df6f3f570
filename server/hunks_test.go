package server

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestHunks: what differs is told by the device, the plan or the kind of thing that it is of, not by numbers of lines.
func TestHunks(t *testing.T) {
	const was = "vlan 10 desks\n\ndevice rack switch\n  ports 1-4\n  1: 10\n  2: 10\n  3: 10\n  4: 10\n\ndevice den switch\n  ports 1-4\n  1: 10\n\ncable rack.4 den.4\n"
	require.Nil(t, hunks(was, was))
	require.Equal(t, []string{"@ rack", "   2: 10", "   3: 10", "   4: 10", "+  note \"x\"", " ", " device den switch", "   ports 1-4"},
		hunks(was, strings.Replace(was, "  4: 10\n", "  4: 10\n  note \"x\"\n", 1)))
	require.Equal(t, "@ den", hunks(was, strings.Replace(was, "  1: 10\n\ncable", "  1: 20\n\ncable", 1))[0])
	require.Equal(t, "@ the office", hunks(was, "office \"x\"\n"+was)[0])
	require.Equal(t, "@ what is plugged in", hunks(was, was+"\nplug den.1 \"pc\" wants 10\n")[0])
	require.Equal(t, "@ what is plugged in", hunks(was+"\nplug den.1 \"pc\" wants 10\n", was)[0])
	require.Equal(t, "@ den", hunks(was, strings.Replace(was, "device den switch\n  ports 1-4\n  1: 10\n\n", "", 1))[0])
	require.Equal(t, "@ the plan desks", hunks(was+"\nplan desks\n  1: 10\n", was+"\nplan desks\n  1: 20\n")[0])
}
