// Package service runs Sieb as a service: staging area, database, background
// work, HTTP and inbox, started in order and stopped in reverse.
package service

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"sync"
	"time"
	"unicode/utf8"

	"sieb/core/source"
	"sieb/service/catalogue"
	"sieb/service/desk"
	"sieb/service/doors"
	"sieb/service/jobs"
	"sieb/service/localpg"
	"sieb/service/reading"
	"sieb/service/rehearsal"
	"sieb/service/routes"
	"sieb/service/staging"
	"sieb/service/store"
)

// Config is a service's settings. docs/limits.md says what the bounds are for.
type Config struct {
	Listen      string // address, loopback unless told otherwise
	Hosts       []string
	Token       string // that requests must show; needed beyond loopback
	Certificate string // file of the certificates for TLS, PEM; "" for none
	Key         string // file of the certificate's key, PEM
	Data        string // folder for delivered bytes, outputs and the database
	DatabaseURL string // "" runs a private PostgreSQL
	Databases   catalogue.Databases
	Parallel    int           // runs worked on at a time
	KeyMemory   int64         // bytes that the keys of a delivery may take in memory; 0 stands for 256 MiB
	RetryFor    time.Duration // how long work waits for troubles that may pass; 0 stands for an hour
	Inbox       InboxConfig

	MaxColumns     int           // of a table; 0 stands for 16,384
	MaxUpload      int64         // bytes of a delivery; 0 stands for 100 GiB
	MaxConnections int           // at a time; 0 stands for 256
	BodyWait       time.Duration // how long an upload may stall; 0 stands for 20 s

	Version string
	Console http.Handler
	Log     *slog.Logger
	// Ready is called with the service's address once it answers.
	Ready func(address string)
}

// InboxConfig is the watched folder and when its files are taken.
type InboxConfig struct {
	Folder string        // "" for none
	Quiet  time.Duration // how long a file must have stayed the same; 0 stands for 1.5 s
	Done   bool          // a file waits until NAME.done stands beside it
}

const (
	// inboxEvery is how often the inbox is looked into.
	inboxEvery = 500 * time.Millisecond
	// stopTimeout is how long requests at hand may take to end.
	stopTimeout    = 10 * time.Second
	usualQuiet     = 3 * inboxEvery
	usualRetryFor  = time.Hour
	usualMaxUpload = 100 << 30
	usualMaxConns  = 256
	usualBodyWait  = 20 * time.Second
)

// Run runs the service until ctx ends.
func Run(ctx context.Context, c Config) (err error) {
	if os.Getenv("GOGC") == "" {
		// Rows make no garbage; what a file takes beyond that lives long. Half as much
		// garbage beside it as is usual keeps several such files within the memory of one.
		debug.SetGCPercent(50)
	}
	c.complete()
	if n := utf8.RuneCountInString(c.Token); n > 0 && n < routes.MinToken {
		return fmt.Errorf("the token has %d characters; set one of at least %d that nobody can guess "+
			"(openssl rand -hex 20 makes one)", n, routes.MinToken)
	}
	secret, err := c.secret()
	if err != nil {
		return err
	}
	unproven, err := c.Databases.Check()
	if err != nil {
		return err
	}
	for _, name := range unproven {
		c.Log.Warn("the password of a database goes to whichever server answers at its address; "+
			"set sslmode=verify-full, with sslrootcert=FILE for certificates of your own", "database", name)
	}
	listener, err := net.Listen("tcp", c.Listen)
	if err != nil {
		return fmt.Errorf("the address %s cannot be used: %w; choose another with --listen", c.Listen, err)
	}
	defer listener.Close()
	if at, ok := listener.Addr().(*net.TCPAddr); ok && !at.IP.IsLoopback() && c.Token == "" {
		return fmt.Errorf("--listen %s would let anyone on the network read and change everything: set a token "+
			"(SIEB_TOKEN), which requests must then show, or listen on 127.0.0.1", c.Listen)
	}
	area, err := staging.Open(c.Data)
	if err != nil {
		return err
	}
	defer area.Close()
	url := c.DatabaseURL
	if url == "" {
		pg, err := localpg.Start(ctx, filepath.Join(c.Data, "postgres"), c.Log)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, pg.Stop()) }()
		url = pg.URL()
	}
	records, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer records.Close()
	if err := claim(ctx, records, area, c.Log); err != nil {
		return err
	}
	bounds := source.Bounds{Columns: c.MaxColumns, Scratch: area.Scratch()}
	queue, err := jobs.Start(ctx, jobs.Config{Store: records, Area: area, Tables: &c.Databases, Bounds: bounds,
		Parallel: c.Parallel,
		RetryFor: c.RetryFor, KeyMemory: c.KeyMemory, Version: c.Version, Log: c.Log})
	if err != nil {
		return fmt.Errorf("the job queue cannot be started: %w", err)
	}
	defer func() {
		stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopTimeout)
		defer cancel()
		if stopped := queue.Stop(stop); stopped != nil {
			c.Log.Warn("the job queue did not stop in time", "error", stopped)
		}
	}()
	closing := make(chan struct{})
	cache := reading.New(bounds)
	defer cache.Close()
	book := &rehearsal.Book{}
	defer book.Close()
	work := desk.New(c.Parallel + 1)
	defer work.Close()
	places := &doors.Doors{Most: c.MaxConnections, Wait: c.BodyWait}
	handler := (&routes.Server{Store: records, Area: area, Queue: queue, Cache: cache, Book: book, Desk: work, Bounds: bounds,
		Guard:   c.guard(),
		Streams: &doors.Places{Most: max(1, c.MaxConnections/4)},
		Tables:  &c.Databases,
		Log:     c.Log, Version: c.Version, Console: c.Console, Closing: closing}).Handler()
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 64 << 10, ConnState: places.Track, ConnContext: places.Context,
		ErrorLog: slog.NewLogLogger(c.Log.Handler(), slog.LevelDebug)}

	if c.Inbox.Folder != "" {
		inbox, err := staging.NewInbox(staging.InboxConfig{Dir: c.Inbox.Folder, Every: inboxEvery, Quiet: c.Inbox.Quiet,
			Done: c.Inbox.Done,
			Log:  c.Log, Take: taker(records, area, c.MaxUpload, c.Log)})
		if err != nil {
			return err
		}
		var watching sync.WaitGroup
		watch, stopWatching := context.WithCancel(ctx)
		watching.Go(func() { inbox.Watch(watch) })
		defer func() {
			stopWatching()
			watching.Wait()
		}()
	}

	failed := make(chan error, 1)
	address := "http://" + listener.Addr().String()
	serve := server.Serve
	if secret != nil {
		server.TLSConfig = secret
		address = "https://" + listener.Addr().String()
		serve = func(l net.Listener) error { return server.ServeTLS(l, "", "") }
	}
	go func() { failed <- serve(places.Listen(listener)) }()
	c.Log.Info("service ready", "address", address, "data", c.Data)
	if c.Ready != nil {
		c.Ready(address)
	}
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	c.Log.Info("service stops")
	close(closing)
	stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopTimeout)
	defer cancel()
	if server.Shutdown(stop) != nil {
		server.Close()
	}
	return nil
}

// secret returns what TLS needs, nil where it is not asked for.
func (c *Config) secret() (*tls.Config, error) {
	if c.Certificate == "" && c.Key == "" {
		return nil, nil
	}
	if c.Certificate == "" || c.Key == "" {
		return nil, errors.New("TLS needs both a certificate (--tls-certificate) and its key (--tls-key)")
	}
	pair, err := tls.LoadX509KeyPair(c.Certificate, c.Key)
	if err != nil {
		return nil, fmt.Errorf("the certificate for TLS cannot be used: %w; --tls-certificate and --tls-key name PEM "+
			"files that belong together", err)
	}
	return &tls.Config{Certificates: []tls.Certificate{pair}, MinVersion: tls.VersionTLS12}, nil
}

// complete fills in what stands for the usual.
func (c *Config) complete() {
	c.RetryFor = cmp.Or(c.RetryFor, usualRetryFor)
	c.MaxUpload = cmp.Or(c.MaxUpload, usualMaxUpload)
	c.MaxConnections = cmp.Or(c.MaxConnections, usualMaxConns)
	c.BodyWait = cmp.Or(c.BodyWait, usualBodyWait)
	c.Inbox.Quiet = cmp.Or(c.Inbox.Quiet, usualQuiet)
}

// guard says under which names requests may come: those of the settings, and that
// of the address that the service listens at. At all of the machine's addresses any
// address may stand in a request; a page of another site comes under a name.
func (c *Config) guard() routes.Guard {
	g := routes.Guard{Hosts: c.Hosts, Token: c.Token, MaxUpload: c.MaxUpload, BodyWait: c.BodyWait}
	host, _, _ := net.SplitHostPort(c.Listen)
	switch ip := net.ParseIP(host); {
	case host == "" || ip != nil && ip.IsUnspecified():
		g.AnyIP = true
	default:
		g.Hosts = append([]string{host}, g.Hosts...)
	}
	return g
}

// claim binds the database and the data folder to each other, and clears away what
// no record knows: bytes and outputs of a service that was killed.
func claim(ctx context.Context, records *store.Store, area *staging.Area, log *slog.Logger) error {
	owner, at, before, err := records.Claim(ctx, area.ID, area.Dir())
	if err != nil {
		return err
	}
	if owner != area.ID {
		return fmt.Errorf("the database belongs to another data folder (last known as %s): the bytes of its "+
			"deliveries are there, not in %s; name that folder with --data, or another database with --database-url",
			at, area.Dir())
	}
	if !before {
		return nil // nothing is known yet of what may be in the folder
	}
	contents, folders, err := area.Sweep(
		func(sums []string) ([]string, error) { return records.Known(ctx, sums) },
		func(ids []string) ([]string, error) { return records.KnownRuns(ctx, ids) })
	if contents+folders > 0 {
		log.Info("cleared away what no record knows", "deliveries", contents, "runs", folders)
	}
	return err
}

// taker makes deliveries of the inbox's files.
func taker(records *store.Store, area *staging.Area, most int64, log *slog.Logger) func(ctx context.Context, f *os.File,
	name, mark string) error {
	return func(ctx context.Context, f *os.File, name, mark string) error {
		if err := records.Ping(ctx); err != nil {
			return err
		}
		if info, err := f.Stat(); err == nil && info.Size() > most {
			return &staging.TooLarge{Most: most} // told before it is copied, each time that it is looked at
		}
		taken, err := area.Take(ctx, f, most)
		if err != nil {
			return err
		}
		d, isNew, err := records.AddDelivery(ctx, store.Arrival{Name: name, Bytes: taken.Bytes, SHA256: taken.SHA256,
			InboxMark: mark,
			Refusal:   jobs.Refusal(ctx, area, taken.SHA256)})
		area.LetGo(taken, err == nil || !store.WasNotSent(err))
		if err == nil && isNew {
			log.Info("delivery arrived in the inbox", "delivery", d.ID, "name", name, "bytes", d.Bytes)
		}
		return err
	}
}
