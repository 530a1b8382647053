package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/spf13/viper"

	"sieb/client"
	"sieb/console"
	"sieb/demo"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/catalogue"
)

const defaultListen = "127.0.0.1:8466"

// serviceFlags are the settings of a service. Each can be given as a flag, in
// the environment (SIEB_LISTEN) or in a file (listen: …), looked for in this
// order.
func serviceFlags(cmd *cobra.Command, logLevel string) {
	f := cmd.Flags()
	f.String("listen", defaultListen, "address to listen on")
	f.String("data", "", "folder for deliveries, outputs and the database (default: sieb in the user's data folder)")
	f.StringSlice("host", nil, "additional host names to answer to, besides those of --listen")
	f.String("token", "", "token that requests must present (best set as SIEB_TOKEN); required if --listen is "+
		"reachable "+
		"from other machines")
	f.String("tls-certificate", "", "PEM file with the certificates under which to answer over TLS")
	f.String("tls-key", "", "PEM file with the key of the certificate")
	f.String("inbox", "", "watched folder whose files become deliveries")
	f.Duration("inbox-quiet", 1500*time.Millisecond,
		"how long a file in the inbox must stay unchanged before it is taken")
	f.Bool("inbox-done", false, "take a file from the inbox only once NAME.done appears beside it")
	f.String("database-url", "", "PostgreSQL to use (default: a private one on loopback)")
	f.StringToString("database", nil,
		"database that targets can be drawn from: NAME=postgres://…; in the file of --config, database: {NAME: "+
			"postgres://…}")
	f.StringSlice("database-host", nil, "host:port of databases whose address a request may give")
	f.Int("parallel", 1, "how many runs to work on at once; each uses all processors")
	f.Duration("retry-for", time.Hour, "how long to keep retrying a run while the database is away or the disk is full")
	f.Int("max-columns", 16384, "maximum number of columns in a table")
	f.String("max-upload", "100GiB", "maximum size of a delivery")
	f.String("key-memory", keyMemory, "memory for the keys of a delivery; those that it does not hold go to the disk")
	f.Int("max-connections", 256, "maximum number of simultaneous connections")
	f.Duration("body-wait", 20*time.Second, "how long an upload may stall")
	f.String("log-level", logLevel, "debug, info, warn or error")
	f.String("config", "", "YAML file with these settings, by the names of the flags")
}

func (a *app) serviceConfig(cmd *cobra.Command) (c service.Config, err error) {
	v := viper.New()
	v.SetEnvPrefix("SIEB")
	v.SetEnvKeyReplacer(strings.NewReplacer("-", "_"))
	v.AutomaticEnv()
	if err := v.BindPFlags(cmd.Flags()); err != nil {
		return c, err
	}
	if path := v.GetString("config"); path != "" {
		v.SetConfigFile(path)
		v.SetConfigType("yaml")
		if err := v.ReadInConfig(); err != nil {
			return c, fmt.Errorf("the settings cannot be read: %w", err)
		}
		for _, key := range v.AllKeys() {
			if name, _, _ := strings.Cut(key, "."); cmd.Flags().Lookup(name) == nil {
				return c, usagef("%s: there is no setting %q", path, key)
			}
		}
	}
	var level slog.Level
	if err := level.UnmarshalText([]byte(v.GetString("log-level"))); err != nil {
		return c, usagef("--log-level %q is not debug, info, warn or error", v.GetString("log-level"))
	}
	// What the service makes is its own: deliveries, outputs, records.
	syscall.Umask(0o077)
	c = service.Config{
		Listen:      v.GetString("listen"),
		Hosts:       v.GetStringSlice("host"),
		Token:       v.GetString("token"),
		Certificate: v.GetString("tls-certificate"),
		Key:         v.GetString("tls-key"),
		Data:        v.GetString("data"),
		DatabaseURL: v.GetString("database-url"),
		Databases: catalogue.Databases{Named: v.GetStringMapString("database"),
			Hosts: v.GetStringSlice("database-host")},
		Inbox:   service.InboxConfig{Folder: v.GetString("inbox")},
		Version: Version,
		Console: console.Handler(),
		Log:     slog.New(slog.NewTextHandler(a.err, &slog.HandlerOptions{Level: level})),
	}
	if v.IsSet("database") && len(c.Databases.Named) == 0 && !cmd.Flags().Changed("database") {
		return c, usagef("the setting database is not of the form {NAME: postgres://…}")
	}
	s := settings{v: v, flags: cmd.Flags()}
	c.Parallel = s.count("parallel", 1)
	c.MaxColumns = s.count("max-columns", 1)
	c.MaxConnections = s.count("max-connections", 4)
	c.MaxUpload = s.bytes("max-upload")
	c.KeyMemory = s.bytes("key-memory")
	c.RetryFor = s.duration("retry-for", time.Second)
	c.BodyWait = s.duration("body-wait", time.Second)
	c.Inbox.Quiet = s.duration("inbox-quiet", 100*time.Millisecond)
	c.Inbox.Done = s.bool("inbox-done")
	if s.err != nil {
		return c, s.err
	}
	if c.Data == "" {
		if c.Data, err = dataFolder("sieb"); err != nil {
			return c, err
		}
	}
	return c, nil
}

// settings reads settings that are not texts, and keeps the first that cannot be
// read, with where it was set.
type settings struct {
	v     *viper.Viper
	flags *pflag.FlagSet
	err   error
}

// wrong says which value of which setting is wrong.
func (s *settings) wrong(name, want string) {
	where := "--" + name
	if variable := "SIEB_" + strings.ReplaceAll(strings.ToUpper(name), "-", "_"); !s.flags.Changed(name) &&
		os.Getenv(variable) != "" {
		where = variable
	}
	if s.err == nil {
		s.err = usagef("%s: %q is not %s", where, s.v.GetString(name), want)
	}
}

func (s *settings) count(name string, least int) int {
	n, err := strconv.Atoi(s.v.GetString(name))
	if err != nil || n < least {
		s.wrong(name, fmt.Sprintf("a whole number from %d up", least))
	}
	return n
}

func (s *settings) duration(name string, least time.Duration) time.Duration {
	d, err := time.ParseDuration(s.v.GetString(name))
	if err != nil || d < least {
		s.wrong(name, fmt.Sprintf("a time such as 30s or 1h, from %s up", least))
	}
	return d
}

func (s *settings) bool(name string) bool {
	is, err := strconv.ParseBool(s.v.GetString(name))
	if err != nil {
		s.wrong(name, "true or false")
	}
	return is
}

func (s *settings) bytes(name string) int64 {
	n, ok := bytesOf(s.v.GetString(name))
	if !ok {
		s.wrong(name, wantedBytes)
	}
	return n
}

// keyMemory is sift.DefaultKeyMemory in words.
const keyMemory = "256MiB"

const wantedBytes = "a size such as 500MiB or 100GiB"

// bytesOf reads a size.
func bytesOf(text string) (n int64, ok bool) {
	text = strings.TrimSpace(text)
	factor := int64(1)
	for _, unit := range []struct {
		name   string
		factor int64
	}{{"KiB", 1 << 10}, {"MiB", 1 << 20}, {"GiB", 1 << 30}, {"TiB", 1 << 40}} {
		if number, has := strings.CutSuffix(text, unit.name); has {
			text, factor = strings.TrimSpace(number), unit.factor
		}
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 1 || n > math.MaxInt64/factor {
		return 0, false
	}
	return n * factor, true
}

// dataFolder returns a folder for a user's data (XDG base directories).
func dataFolder(name string) (string, error) {
	if dir := os.Getenv("XDG_DATA_HOME"); dir != "" {
		return filepath.Join(dir, name), nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", fmt.Errorf("no folder for the data is known: %w; name one with --data", err)
	}
	return filepath.Join(home, ".local", "share", name), nil
}

func (a *app) serve() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Runs the service",
		Long: `Runs the service: the console and the API at --listen, a staging area and a
private PostgreSQL in --data, and a watched folder at --inbox. Ctrl-C stops it.

Settings can be given as flags (--listen), in the environment (SIEB_LISTEN), or
in the file named by --config (listen: …). Flags override the environment, and
the environment overrides the file.`,
		Example: `  sieb serve --inbox /srv/talfeld/inbox
  SIEB_DATABASE_URL=postgres://sieb@localhost/sieb sieb serve --data /srv/talfeld/sieb`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.serviceConfig(cmd)
			if err != nil {
				return err
			}
			c.Ready = func(address string) { fmt.Fprintf(a.out, "Sieb answers at %s\n", address) }
			return service.Run(cmd.Context(), c)
		},
	}
	serviceFlags(cmd, "info")
	return cmd
}

func (a *app) demo() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Runs the service with the demo data",
		Long: `Runs the service with the data of the Talfeld growers' co-operative, an
invention: adds its targets and deliveries if they are missing, runs them, and
prints the address. Ctrl-C stops it. The settings are those of sieb serve; the
data is kept in a separate folder.`,
		Example: `  sieb demo
  sieb demo --listen 127.0.0.1:9000 --data /tmp/talfeld`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.serviceConfig(cmd)
			if err != nil {
				return err
			}
			if !cmd.Flags().Changed("data") && os.Getenv("SIEB_DATA") == "" {
				if c.Data, err = dataFolder("sieb-demo"); err != nil {
					return err
				}
			}
			ctx, stop := context.WithCancelCause(cmd.Context())
			defer stop(nil)
			c.Ready = func(address string) {
				go func() {
					if err := a.fillDemo(ctx, client.New(address, c.Token)); err != nil && ctx.Err() == nil {
						stop(err)
						return
					}
					fmt.Fprintf(a.out, "\nThe demo is ready: open %s in a browser. Ctrl-C stops it.\n", address)
				}()
			}
			if err := service.Run(ctx, c); err != nil {
				return err
			}
			if cause := context.Cause(ctx); !errors.Is(cause, context.Canceled) {
				return cause
			}
			return nil
		},
	}
	serviceFlags(cmd, "warn")
	return cmd
}

// fillDemo adds what is missing of the demo data and runs each delivery that
// has not been run.
func (a *app) fillDemo(ctx context.Context, c *client.Client) error {
	known, err := c.Deliveries(ctx, "", "", 0, 1000)
	if err != nil {
		return err
	}
	for _, m := range demo.All() {
		text, err := demo.Target(m.Target)
		if err != nil {
			return err
		}
		if _, err := c.AddTarget(ctx, text); err != nil {
			return err
		}
		if m.Mapping != "" {
			if text, err = demo.Mapping(m.Mapping); err != nil {
				return err
			}
			if _, err := c.AddMapping(ctx, text); err != nil {
				return err
			}
		}
		var delivery *api.Delivery
		for i := range known.Items {
			if known.Items[i].Name == m.Name {
				delivery = &known.Items[i]
			}
		}
		if delivery == nil {
			content, err := demo.Delivery(m.Name)
			if errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("the demo delivery %s is not part of this program", m.Name)
			} else if err != nil {
				return err
			}
			added, err := c.AddDelivery(ctx, m.Name, bytes.NewReader(content))
			if err != nil {
				return err
			}
			delivery = &added
		}
		head := delivery.Run
		if head == nil {
			run, err := c.StartRun(ctx, api.NewRun{Delivery: delivery.ID, Target: m.Target, Mapping: m.Mapping})
			if err != nil {
				return err
			}
			if run, err = c.Follow(ctx, run.ID, nil); err != nil {
				return err
			}
			head = &run.RunHead
		}
		if head.Tally != nil {
			fmt.Fprintf(a.out, "%-36s %-8s %d read = %d accepted + %d rejected + %d excluded\n", m.Name, head.Verdict,
				head.Tally.Read, head.Tally.Accepted, head.Tally.Rejected, head.Tally.Excluded)
		}
	}
	return nil
}
