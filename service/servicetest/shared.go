package servicetest

import (
	"context"
	"fmt"
	"log"
	"log/slog"
	"net/url"
	"os"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5"

	"sieb/service/localpg"
	"sieb/service/localpg/pgtest"
	"sieb/service/store"
)

// shared is the PostgreSQL of all services of a package's tests: to make one for each costs far more than what most
// of them test.
var shared struct {
	isOn bool
	mu   sync.Mutex
	dir  string
	pg   *localpg.Server
	of   map[string]string // databases, by the data folders of their services
}

// template is a database with the tables of the records, of which others are copies.
const template = "sieb_template"

// Main runs the tests of a package, whose services share one PostgreSQL, each with a database of its own.
func Main(m *testing.M) {
	shared.isOn = true
	code := m.Run()
	if shared.pg != nil {
		if err := shared.pg.Stop(); err != nil {
			log.Print("the PostgreSQL of the tests did not stop: ", err)
			code = max(code, 1)
		}
		pgtest.Remove(shared.dir)
	}
	os.Exit(code)
}

// databaseOf returns the database of a data folder in the server that is shared; "" where none is.
func databaseOf(t testing.TB, data string) string {
	t.Helper()
	if !shared.isOn {
		return ""
	}
	shared.mu.Lock()
	defer shared.mu.Unlock()
	found, err := databaseFor(context.Background(), data)
	if err != nil {
		t.Fatalf("the PostgreSQL of the tests: %v", err)
	}
	return found
}

func databaseFor(ctx context.Context, data string) (string, error) {
	if found := shared.of[data]; found != "" {
		return found, nil
	}
	if shared.pg == nil {
		if err := startShared(ctx); err != nil {
			return "", err
		}
	}
	name := fmt.Sprintf("test_%d", len(shared.of))
	if err := onServer(ctx, "create database "+name+" template "+template); err != nil {
		return "", err
	}
	shared.of[data] = named(name)
	return shared.of[data], nil
}

func startShared(ctx context.Context) (err error) {
	if shared.dir, err = os.MkdirTemp("", "sieb-tests-*"); err != nil {
		return err
	}
	if shared.pg, err = localpg.Start(ctx, shared.dir, slog.New(slog.DiscardHandler)); err != nil {
		return err
	}
	shared.of = map[string]string{}
	if err := onServer(ctx, "create database "+template); err != nil {
		return err
	}
	s, err := store.Open(ctx, named(template))
	if err != nil {
		return err
	}
	s.Close()
	return nil
}

// named returns the URL of a database of the server that is shared.
func named(database string) string {
	u, err := url.Parse(shared.pg.URL())
	if err != nil {
		return ""
	}
	u.Path = "/" + database
	return u.String()
}

func onServer(ctx context.Context, statement string) error {
	conn, err := pgx.Connect(ctx, shared.pg.URL())
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, statement)
	return err
}
