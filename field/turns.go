package field

import (
	"context"
	"fmt"
	"sync"
)

// talking is who is spoken to: a device has one conversation at a time, whoever wants it, as
// small ones answer nobody else meanwhile, or lose what they are told.
var talking = turns{of: map[string]chan struct{}{}}

// turns are the conversations that go on, by whom they are with.
type turns struct {
	mu sync.Mutex
	of map[string]chan struct{} // closed when it is over
}

// take waits until nobody else speaks to a device, for as long as one reading or setting may
// take, and gives what ends the conversation.
func (t *turns) take(ctx context.Context, with string) (end func(), err error) {
	ctx, stop := context.WithTimeoutCause(ctx, MostTime, fmt.Errorf("it is spoken to already, for more than %s: another reading or an order goes on there", MostTime))
	defer stop()
	for {
		t.mu.Lock()
		other := t.of[with]
		if other == nil {
			mine := make(chan struct{})
			t.of[with] = mine
			t.mu.Unlock()
			return sync.OnceFunc(func() {
				t.mu.Lock()
				defer t.mu.Unlock()
				delete(t.of, with)
				close(mine)
			}), nil
		}
		t.mu.Unlock()
		select {
		case <-other:
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		}
	}
}
