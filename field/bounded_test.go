package field

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestEndsWithoutHelp: what waits for an answer that cannot come any more, and hears neither of
// its context nor of its connection being closed, does not keep the one who asked.
func TestEndsWithoutHelp(t *testing.T) {
	ctx, stop := context.WithCancel(t.Context())
	begun := make(chan struct{})
	ended := make(chan error, 1)
	go func() {
		ended <- newLine(&scripted{}).during(ctx, func(context.Context) error {
			close(begun)
			select {}
		})
	}()
	<-begun
	stop()
	select {
	case err := <-ended:
		require.ErrorIs(t, err, context.Canceled)
	case <-time.After(time.Minute):
		t.Fatal("it waits for ever")
	}
}
