package catalogue_test

import (
	"context"
	"encoding/binary"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/catalogue"
)

// listener is a server to which a client tells all it has: it asks for the password
// in clear, and notes every byte.
func listener(t *testing.T) (address string, heard func() string) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	said := make(chan string, 1)
	go func() {
		var all []byte
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			all = append(all, listen(conn)...)
			conn.Close()
			select {
			case <-said:
			default:
			}
			said <- string(all)
		}
	}()
	return l.Addr().String(), func() string { return <-said }
}

func listen(conn net.Conn) (all []byte) {
	_ = conn.SetDeadline(time.Now().Add(10 * time.Second))
	for {
		head := make([]byte, 4)
		if _, err := io.ReadFull(conn, head); err != nil {
			return all
		}
		body := make([]byte, binary.BigEndian.Uint32(head)-4)
		if _, err := io.ReadFull(conn, body); err != nil {
			return all
		}
		all = append(all, body...)
		if len(body) == 4 { // it asks for TLS
			if _, err := conn.Write([]byte("N")); err != nil {
				return all
			}
			continue
		}
		// AuthenticationCleartextPassword; the answer is all that follows.
		if _, err := conn.Write([]byte{'R', 0, 0, 0, 8, 0, 0, 0, 3}); err != nil {
			return all
		}
		rest := make([]byte, 4096)
		n, _ := conn.Read(rest)
		return append(all, rest[:n]...)
	}
}

// Nothing of the service's environment goes to a server that a request names: no
// password, user, database or option of its own, from a variable or from a file.
func TestNothingOfItsOwnIsTold(t *testing.T) {
	if address := os.Getenv("SIEB_TEST_TELL"); address != "" {
		d := catalogue.Databases{Hosts: []string{address}}
		_, err := d.Read(context.Background(), "postgres://guest@"+address+"/open", "t")
		if err == nil {
			os.Exit(3)
		}
		assert.Equal(t, "secret-password", os.Getenv("PGPASSWORD"), "the environment is as it was")
		return
	}
	address, heard := listener(t)
	host, port, err := net.SplitHostPort(address)
	require.NoError(t, err)
	home := t.TempDir()
	pass, services := filepath.Join(home, ".pgpass"), filepath.Join(home, ".pg_service.conf")
	require.NoError(t, os.WriteFile(pass, []byte("*:*:*:*:secret-in-file\n"), 0o600))
	require.NoError(t, os.WriteFile(services,
		[]byte("[own]\nhost="+host+"\nport="+port+"\npassword=secret-of-service\n"), 0o600))
	cmd := exec.Command(os.Args[0], "-test.run=^TestNothingOfItsOwnIsTold$")
	cmd.Env = append(os.Environ(), "SIEB_TEST_TELL="+address, "HOME="+home, "PGPASSFILE="+pass,
		"PGSERVICEFILE="+services, "PGSERVICE=own",
		"PGPASSWORD=secret-password", "PGUSER=secret-user", "PGDATABASE=secret-database",
		"PGOPTIONS=-c secret.option=1", "PGAPPNAME=secret-name", "PGSSLMODE=bogus")
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	told := heard()
	assert.Contains(t, told, "guest", "the request's own user is told")
	assert.NotContains(t, told, "secret")
}

func TestOnlyKnownDatabases(t *testing.T) {
	d := catalogue.Databases{Named: map[string]string{"intake": "postgres://steward:pw@127.0.0.1:1/intake",
		"growers": "postgres://127.0.0.1:2/growers"}}
	assert.Equal(t, []string{"growers", "intake"}, d.Names())
	for database, want := range map[string]string{
		"intake":                         "the database at 127.0.0.1:1 cannot be reached",
		"postgres://x@127.0.0.1:2/other": "the database at 127.0.0.1:2 cannot be reached", // the host of a named one
		"nothing":                        "name growers, intake",
		"postgres://127.0.0.1:3/x":       "do not allow it",
		"postgres://127.0.0.1:99999/x":   "is not that of a PostgreSQL database",
		"postgres://[::1/x":              "is not that of a PostgreSQL database",
		"postgres://127.0.0.1:1/x?sslmode=verify-full&sslrootcert=/etc/passwd": "may only have the parameter sslmode",
	} {
		_, err := d.Read(t.Context(), database, "t")
		assert.ErrorContains(t, err, want, database)
		assert.NotContains(t, err.Error(), "pw")
	}
	_, err := (&catalogue.Databases{}).Read(t.Context(), "intake", "t")
	assert.ErrorContains(t, err, "name none")
}
