package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Patience is how long a statement, or the wait for a connection, may take: a database that hangs
// does not break its connections, so that nothing else would end what waits for it.
const Patience = 15 * time.Second

// patience ends each statement and each wait for a connection when its time is over. The driver lets
// what watches statements hand their contexts on, so that no caller has to think of it.
type patience struct{}

type endless struct{}
type end struct{}

// withoutEnd is for work that may take long, as that of migrations.
func withoutEnd(ctx context.Context) context.Context { return context.WithValue(ctx, endless{}, true) }

func begin(ctx context.Context) context.Context {
	if ctx.Value(endless{}) != nil {
		return ctx
	}
	ctx, stop := context.WithTimeout(ctx, Patience)
	return context.WithValue(ctx, end{}, stop)
}

func finish(ctx context.Context) {
	if stop, ok := ctx.Value(end{}).(context.CancelFunc); ok {
		stop()
	}
}

func (patience) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	return begin(ctx)
}

func (patience) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryEndData) { finish(ctx) }

func (patience) TraceAcquireStart(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireStartData,
) context.Context {
	return begin(ctx)
}

func (patience) TraceAcquireEnd(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireEndData) {
	finish(ctx)
}

func (patience) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return begin(ctx)
}

func (patience) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}

func (patience) TraceBatchEnd(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchEndData) { finish(ctx) }
