// Package service runs Sieb as a service: staging area, database, background
// work, HTTP and inbox, started in order and stopped in reverse.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"time"

	"sieb/service/api"
	"sieb/service/jobs"
	"sieb/service/localpg"
	"sieb/service/reading"
	"sieb/service/staging"
	"sieb/service/store"
)

// Config is a service's settings.
type Config struct {
	Listen      string // address, loopback unless told otherwise
	Data        string // folder for delivered bytes, outputs and the database
	Inbox       string // watched folder; "" for none
	DatabaseURL string // "" runs a private PostgreSQL
	Parallel    int    // runs worked on at a time
	Version     string
	Console     http.Handler
	Log         *slog.Logger
	// Ready is called with the service's address once it answers.
	Ready func(address string)
}

// inboxEvery is how often the inbox is looked into.
const inboxEvery = 500 * time.Millisecond

// stopTimeout is how long requests at hand may take to end.
const stopTimeout = 10 * time.Second

// Run runs the service until ctx ends.
func Run(ctx context.Context, c Config) (err error) {
	listener, err := net.Listen("tcp", c.Listen)
	if err != nil {
		return fmt.Errorf("the address %s cannot be used: %w; choose another with --listen", c.Listen, err)
	}
	defer listener.Close()
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
	queue, err := jobs.Start(ctx, records, area, c.Parallel, c.Version, c.Log)
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
	desk := reading.New()
	defer desk.Close()
	handler := (&api.Server{Store: records, Area: area, Queue: queue, Desk: desk, Log: c.Log, Version: c.Version, Console: c.Console, Closing: closing}).Handler()
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10}

	if c.Inbox != "" {
		inbox, err := staging.NewInbox(c.Inbox, inboxEvery, c.Log, taker(records, area, c.Log))
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
	go func() { failed <- server.Serve(listener) }()
	c.Log.Info("service ready", "address", "http://"+listener.Addr().String(), "data", c.Data)
	if c.Ready != nil {
		c.Ready("http://" + listener.Addr().String())
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

// taker makes deliveries of the inbox's files.
func taker(records *store.Store, area *staging.Area, log *slog.Logger) func(ctx context.Context, f *os.File, name, mark string) error {
	return func(ctx context.Context, f *os.File, name, mark string) error {
		if err := staging.CheckName(name); err != nil {
			return err
		}
		bytes, sum, err := area.Take(ctx, f)
		if err != nil {
			return err
		}
		d, isNew, err := records.AddDelivery(ctx, name, bytes, sum, mark)
		if err == nil && isNew {
			log.Info("delivery arrived in the inbox", "delivery", d.ID, "name", name, "bytes", bytes)
		}
		return err
	}
}
