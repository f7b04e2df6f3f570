package field

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestOneConversation: who speaks to a device is alone with it until he ends; others wait, and
// who waits for nothing any more is told; another device has nobody wait.
func TestOneConversation(t *testing.T) {
	all := turns{of: map[string]chan struct{}{}}
	end, err := all.take(t.Context(), "rack")
	require.NoError(t, err)
	away, stop := context.WithCancel(t.Context())
	stop()
	_, err = all.take(away, "rack")
	require.ErrorIs(t, err, context.Canceled)
	other, err := all.take(t.Context(), "front")
	require.NoError(t, err)
	other()

	waits, got := make(chan func()), 0
	for range 5 {
		go func() {
			end, err := all.take(t.Context(), "rack")
			if err != nil {
				end = nil
			}
			waits <- end
		}()
	}
	end()
	end() // once more is nothing
	for range 5 {
		end := <-waits
		require.NotNil(t, end)
		require.Len(t, all.of, 1, "one has it, and four wait")
		got++
		end()
	}
	require.Equal(t, 5, got)
	require.Empty(t, all.of)
}
