package workbook

import "context"

// gate lets one caller in at a time; who waits can give up.
type gate chan struct{}

func newGate() gate { return make(gate, 1) }

func (g gate) enter(ctx context.Context) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	select {
	case g <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (g gate) leave() { <-g }
