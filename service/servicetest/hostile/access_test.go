package hostile_test

import (
	"bufio"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"io"
	"log/slog"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service"
	"sieb/service/servicetest"
)

// lines is a log that can be looked at while it is written.
type lines struct {
	mu   sync.Mutex
	text strings.Builder
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *lines) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

func (l *lines) logger() *slog.Logger { return slog.New(slog.NewTextHandler(l, nil)) }

// send sends a request and returns its answer, whose body it reads.
func send(t *testing.T, c *http.Client, method, url, body string, headers ...string) (*http.Response, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, url, strings.NewReader(body))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/json")
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	answer, err := c.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer, string(text)
}

// A browser's session is not the token, and is over when it is signed out, at every instance.
func TestSessionsEnd(t *testing.T) {
	s := servicetest.StartWith(t, "", func(c *service.Config) { c.Token = token })
	signIn := func(headers ...string) *http.Cookie {
		answer, _ := send(t, http.DefaultClient, "POST", s.Address+"/api/v1/token", `{"token":"`+token+`"}`, headers...)
		require.Equal(t, http.StatusNoContent, answer.StatusCode)
		require.Len(t, answer.Cookies(), 1)
		return answer.Cookies()[0]
	}
	get := func(path string, c *http.Cookie) (int, string) {
		answer, text := send(t, http.DefaultClient, "GET", s.Address+path, "", "Cookie", c.Name+"="+c.Value)
		return answer.StatusCode, text
	}
	one, other := signIn(), signIn("X-Forwarded-Proto", "https")
	assert.NotContains(t, one.Value, token)
	assert.False(t, one.Secure)
	assert.True(t, other.Secure, "behind a proxy that speaks TLS")
	assert.InDelta(t, (12 * time.Hour).Seconds(), one.MaxAge, 1)
	for _, c := range []*http.Cookie{one, other} {
		status, _ := get("/api/v1/deliveries", c)
		assert.Equal(t, http.StatusOK, status)
		_, text := get("/api/v1/token", c)
		assert.Contains(t, text, `"asksForToken":true,"sessionEnds":"`)
	}
	answer, _ := send(t, http.DefaultClient, "DELETE", s.Address+"/api/v1/token", "", "Cookie", one.Name+"="+one.Value)
	assert.Equal(t, http.StatusNoContent, answer.StatusCode)
	require.Len(t, answer.Cookies(), 1)
	assert.Negative(t, answer.Cookies()[0].MaxAge)
	status, _ := get("/api/v1/deliveries", one)
	assert.Equal(t, http.StatusUnauthorized, status, "who kept the cookie is out as well")
	_, text := get("/api/v1/token", one)
	assert.NotContains(t, text, "sessionEnds")
	status, _ = get("/api/v1/deliveries", other)
	assert.Equal(t, http.StatusOK, status, "others stay")
	answer, _ = send(t, http.DefaultClient, "DELETE", s.Address+"/api/v1/token", "")
	assert.Equal(t, http.StatusNoContent, answer.StatusCode, "without one there is nothing to end")
}

// Wrong tokens wait, and are in the log, without what was shown; a right one never waits.
func TestWrongTokens(t *testing.T) {
	var log lines
	s := servicetest.StartWith(t, "", func(c *service.Config) {
		c.Token = token
		c.Log = log.logger()
	})
	began := time.Now()
	for i := range 3 {
		answer, _ := send(t, http.DefaultClient, "GET", s.Address+"/api/v1/runs", "", "Authorization", "Bearer guess")
		assert.Equal(t, http.StatusUnauthorized, answer.StatusCode, i)
	}
	assert.GreaterOrEqual(t, time.Since(began), 1750*time.Millisecond, "a quarter, a half and a second")
	began = time.Now()
	answer, _ := send(t, http.DefaultClient, "GET", s.Address+"/api/v1/runs", "", "Authorization", "Bearer "+token)
	assert.Equal(t, http.StatusOK, answer.StatusCode)
	assert.Less(t, time.Since(began), 2*time.Second, "which the next wrong one would wait")
	answer, _ = send(t, http.DefaultClient, "GET", s.Address+"/api/v1/runs", "")
	assert.Equal(t, http.StatusUnauthorized, answer.StatusCode, "none is not a wrong one")
	answer, _ = send(t, http.DefaultClient, "POST", s.Address+"/api/v1/token", `{"token":"guess"}`)
	assert.Equal(t, http.StatusUnauthorized, answer.StatusCode)
	assert.Equal(t, 4, strings.Count(log.String(), "level=INFO msg=\"a wrong token was shown\" from=127.0.0.1"))
	assert.NotContains(t, log.String(), "guess")
	assert.NotContains(t, log.String(), token)
}

// certified makes files of a certificate for 127.0.0.1 and its key, and a client that trusts it.
func certified(t *testing.T) (certificate, key string, c *http.Client) {
	t.Helper()
	secret, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}}
	signed, err := x509.CreateCertificate(rand.Reader, template, template, &secret.PublicKey, secret)
	require.NoError(t, err)
	packed, err := x509.MarshalPKCS8PrivateKey(secret)
	require.NoError(t, err)
	write := func(name, kind string, content []byte) string {
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: content}), 0o600))
		return path
	}
	parsed, err := x509.ParseCertificate(signed)
	require.NoError(t, err)
	roots := x509.NewCertPool()
	roots.AddCert(parsed)
	return write("own.crt", "CERTIFICATE", signed), write("own.key", "PRIVATE KEY", packed),
		&http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots}}}
}

// With a certificate the service speaks TLS alone, and its cookie is for TLS alone.
func TestTLS(t *testing.T) {
	certificate, key, c := certified(t)
	s := servicetest.StartWith(t, "", func(config *service.Config) {
		config.Token, config.Certificate, config.Key = token, certificate, key
	})
	require.True(t, strings.HasPrefix(s.Address, "https://127.0.0.1:"), s.Address)
	answer, _ := send(t, c, "POST", s.Address+"/api/v1/token", `{"token":"`+token+`"}`)
	require.Len(t, answer.Cookies(), 1)
	assert.True(t, answer.Cookies()[0].Secure)
	answer, _ = send(t, http.DefaultClient, "GET", strings.Replace(s.Address, "https", "http", 1)+"/healthz", "")
	assert.Equal(t, http.StatusBadRequest, answer.StatusCode)
	_, err := tls.Dial("tcp", strings.TrimPrefix(s.Address, "https://"),
		&tls.Config{InsecureSkipVerify: true, MaxVersion: tls.VersionTLS11})
	assert.Error(t, err, "no old version")

	for _, wrong := range [][2]string{{certificate, ""}, {"", key}, {key, certificate}, {"/nowhere", key}} {
		err := service.Run(t.Context(), service.Config{Listen: "127.0.0.1:0", Data: t.TempDir(),
			Certificate: wrong[0], Key: wrong[1]})
		assert.ErrorContains(t, err, "--tls-key", wrong)
	}
}

// What is not HTTP as it should be is the sender's fault, and says so.
func TestMalformedRequests(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	const head = " HTTP/1.1\r\nHost: localhost\r\nContent-Type: "
	const chunked = "\r\nTransfer-Encoding: chunked\r\n\r\n"
	for _, c := range []struct {
		request string
		want    int
	}{
		{"POST /api/v1/deliveries?name=a.csv" + head + "text/csv" + chunked + "4\r\na,b\n\r\nzz\r\n", 400},
		{"POST /api/v1/deliveries?name=a.csv" + head + "text/csv" + chunked + "4\r\na,b\n\r\nfffffffffffffffff\r\n", 400},
		{"POST /api/v1/deliveries?name=a.csv" + head + "text/csv" + chunked + "4\r\na,b\nxx", 400},
		{"POST /api/v1/runs" + head + "application/json" + chunked + "2\r\n{}\r\nzz\r\n", 400},
		{"POST /api/v1/targets" + head + "application/yaml" + chunked + "-1\r\n", 400},
		{"CONNECT elsewhere.example:443 HTTP/1.1\r\nHost: elsewhere.example:443\r\n\r\n", 405},
		{"CONNECT localhost:443 HTTP/1.1\r\nHost: localhost:443\r\n\r\n", 405},
		{"GET /api/v1/runs HTTP/1.1\r\nHost: localhost\r\nContent-Length: x\r\n\r\n", 400},
		{"GET /api/v1/runs HTTP/1.1\r\n\r\n", 400},
	} {
		conn := dial(t, s)
		_, err := fmt.Fprint(conn, c.request)
		require.NoError(t, err)
		answer, err := http.ReadResponse(bufio.NewReader(conn), nil)
		require.NoError(t, err, c.request)
		text, _ := io.ReadAll(answer.Body)
		assert.Equal(t, c.want, answer.StatusCode, "%s\n%s", c.request, text)
		conn.Close()
	}
	known, err := s.Client.Deliveries(t.Context(), "", "", 0, 10)
	require.NoError(t, err)
	assert.Empty(t, known.Items, "nothing of them was kept")
}

// Every answer with data says that it is not to be kept, nor to be framed, nor run.
func TestHeadersOfData(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	for _, path := range []string{"/api/v1/deliveries", "/api/v1/deliveries/none", "/api/openapi.json", "/metrics",
		"/healthz", "/api/none"} {
		answer, _ := send(t, http.DefaultClient, "GET", s.Address+path, "")
		assert.Equal(t, "no-store", answer.Header.Get("Cache-Control"), path)
		rules := answer.Header.Get("Content-Security-Policy")
		for _, rule := range []string{"default-src 'none'", "object-src 'none'", "base-uri 'none'", "form-action 'none'",
			"frame-ancestors 'none'", "sandbox"} {
			assert.Contains(t, rules, rule, path)
		}
	}
}
