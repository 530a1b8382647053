package catalogue_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/catalogue"
)

// authority signs certificates.
type authority struct {
	key  *ecdsa.PrivateKey
	cert *x509.Certificate
	file string
}

func newAuthority(t *testing.T) *authority {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), NotAfter: time.Now().Add(time.Hour), IsCA: true,
		BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign}
	signed, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	cert, err := x509.ParseCertificate(signed)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "root.crt")
	require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: signed}), 0o600))
	return &authority{key, cert, file}
}

// certificate is one for an address, until a time.
func (a *authority) certificate(t *testing.T, address string, until time.Time) tls.Certificate {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	signed, err := x509.CreateCertificate(rand.Reader, &x509.Certificate{SerialNumber: big.NewInt(2),
		NotAfter: until, IPAddresses: []net.IP{net.ParseIP(address)}}, a.cert, &key.PublicKey, a.key)
	require.NoError(t, err)
	return tls.Certificate{Certificate: [][]byte{signed}, PrivateKey: key}
}

// server is one that says yes to TLS, shows a certificate, and tells whether anybody went on to name a user.
func server(t *testing.T, shown tls.Certificate) (at string, named chan bool) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	named = make(chan bool, 16)
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			ask := make([]byte, 8)
			_, err = io.ReadFull(c, ask)
			if err == nil {
				_, err = c.Write([]byte("S"))
			}
			var got int
			if err == nil {
				got, _ = tls.Server(c, &tls.Config{Certificates: []tls.Certificate{shown}}).Read(make([]byte, 512))
			}
			c.Close()
			named <- got > 0
		}
	}()
	return l.Addr().String(), named
}

// Who asks for a proof sends nothing to a server that does not give it.
func TestServersProveThemselves(t *testing.T) {
	own, other := newAuthority(t), newAuthority(t)
	soon := time.Now().Add(time.Hour)
	right := own.certificate(t, "127.0.0.1", soon)
	elsewhere := own.certificate(t, "192.0.2.1", soon)
	past := own.certificate(t, "127.0.0.1", time.Now().Add(-time.Minute))
	for _, c := range []struct {
		what       string
		shown      tls.Certificate
		mode, root string
		goes       bool
	}{
		{"no proof is asked for", right, "require", "", true},
		{"nor of a stranger", other.certificate(t, "192.0.2.1", soon), "require", "", true},
		{"all is right", right, "verify-full", own.file, true},
		{"another name", elsewhere, "verify-full", own.file, false},
		{"another name, which is not asked", elsewhere, "verify-ca", own.file, true},
		{"another root", right, "verify-full", other.file, false},
		{"another root", right, "verify-ca", other.file, false},
		{"the system's roots", right, "verify-full", "", false},
		{"the system's roots", right, "verify-ca", "", false},
		{"it is over", past, "verify-full", own.file, false},
		{"it is over", past, "verify-ca", own.file, false},
	} {
		at, named := server(t, c.shown)
		address := "postgres://steward:pw@" + at + "/intake?sslmode=" + c.mode
		if c.root != "" {
			address += "&sslrootcert=" + url.QueryEscape(c.root)
		}
		d := catalogue.Databases{Named: map[string]string{"intake": address}}
		_, err := d.Read(t.Context(), "intake", "t")
		require.Error(t, err, c.what)
		assert.NotContains(t, err.Error(), "pw")
		assert.Equal(t, c.goes, <-named, "%s, %s: %v", c.mode, c.what, err)
		if !c.goes {
			assert.Contains(t, err.Error(), "certificate", c.what)
		}
	}
}

// The settings are looked at once, at the start.
func TestAddressesOfTheSettings(t *testing.T) {
	own := newAuthority(t)
	empty := filepath.Join(t.TempDir(), "empty.crt")
	require.NoError(t, os.WriteFile(empty, []byte("nothing"), 0o600))
	for query, want := range map[string]string{
		"sslmode=verify":                                             "verify-ca, verify-full",
		"sslmode=":                                                   "verify-ca, verify-full",
		"options=-c%20a%3Db":                                         "may only have",
		"sslcert=" + own.file:                                        "may only have",
		"sslrootcert=" + own.file:                                    "set verify-ca or verify-full",
		"sslmode=require&sslrootcert=" + own.file:                    "set verify-ca or verify-full",
		"sslmode=verify-full&sslrootcert=/nowhere.crt":               "/nowhere.crt",
		"sslmode=verify-full&sslrootcert=" + empty:                   "holds no certificate",
		"sslmode=verify-ca&sslrootcert=" + url.QueryEscape(t.Name()): "cannot be read",
	} {
		d := catalogue.Databases{Named: map[string]string{"intake": "postgres://steward:pw@db.talfeld.example/x?" + query}}
		_, err := d.Check()
		require.ErrorContains(t, err, want, query)
		assert.ErrorContains(t, err, "the database intake in the settings")
		assert.NotContains(t, err.Error(), "pw")
	}
	for _, garbled := range []string{"", "intake", "postgres://steward:p w@%zz/x", "mysql://steward:pw@a/b",
		"postgres:///x"} {
		_, err := (&catalogue.Databases{Named: map[string]string{"intake": garbled}}).Check()
		require.ErrorContains(t, err, "is not that of a PostgreSQL database", garbled)
		assert.NotContains(t, err.Error(), "steward")
	}
	named := map[string]string{}
	for name, address := range map[string]string{
		"disable": "sieb:pw@db.example/x?sslmode=disable", "prefer": "sieb:pw@db.example/x",
		"require": "sieb:pw@192.0.2.1/x?sslmode=require", "here": "sieb:pw@127.0.0.1/x", "local": "sieb:pw@localhost/x",
		"here6": "sieb:pw@[::1]/x", "open": "sieb@db.example/x", "full": "sieb:pw@db.example/x?sslmode=verify-full",
		"ca": "sieb:pw@db.example/x?sslmode=verify-ca&sslrootcert=" + own.file,
	} {
		named[name] = "postgres://" + address
	}
	unproven, err := (&catalogue.Databases{Named: named}).Check()
	require.NoError(t, err)
	assert.Equal(t, "disable prefer require", strings.Join(unproven, " "))
}
