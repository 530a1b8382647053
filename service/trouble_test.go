package service_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service"
	"sieb/service/api"
	"sieb/service/localpg"
	"sieb/service/localpg/pgtest"
	"sieb/service/servicetest"
	"sieb/service/servicetest/hostile"
	"sieb/service/store"
)

// A NUL in a cell, a name or a header makes a result like any other.
func TestTextsThatTheDatabaseRefuses(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	files := hostile.Files()
	for name, shows := range map[string]string{"nul-cells.csv": "x␀y", "nul-name.zip": "x␀", "nul-header.csv": "",
		"control.csv": "", "nul-texts.xlsx": ""} {
		f := files[slices.IndexFunc(files, func(f hostile.File) bool { return f.Name == name })]
		d, err := s.Client.AddDelivery(t.Context(), f.Name, bytes.NewReader(f.Bytes))
		require.NoError(t, err)
		run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
		run, err = s.Client.Follow(t.Context(), run.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, store.Done, run.State, "%s: %s", name, run.Error)
		assert.Nil(t, run.Trouble, name)
		if shows != "" {
			require.NotEmpty(t, run.Violations, name)
			assert.Contains(t, run.Violations[0].Samples[0].Value, shows, name)
		}
	}
}

// While the database is away uploads are refused, with nothing left of them, and
// everything goes on when it is back.
func TestUploadsWhileTheDatabaseIsAway(t *testing.T) {
	dir := pgtest.Folder(t)
	db, err := localpg.Start(t.Context(), filepath.Join(dir, "postgres"), quiet)
	require.NoError(t, err)
	url := db.URL()
	s := servicetest.StartWith(t, filepath.Join(dir, "data"), func(c *service.Config) { c.DatabaseURL = url })
	require.NoError(t, db.Stop())
	for _, name := range []string{"a.csv", "b.csv"} {
		_, err = s.Client.AddDelivery(t.Context(), name, strings.NewReader(name))
		assert.Equal(t, 503, servicetest.Status(err), "%v", err)
		assert.ErrorContains(t, err, "the database does not answer")
	}
	resp, _ := ask(t, s, "GET", "/api/v1/deliveries", "")
	assert.Equal(t, 503, resp.StatusCode)
	assert.Equal(t, "5", resp.Header.Get("Retry-After"))
	resp, _ = ask(t, s, "GET", "/healthz", "")
	assert.Equal(t, 503, resp.StatusCode)
	assert.Zero(t, servicetest.Deliveries(t, s.Data))
	assert.Zero(t, servicetest.Entries(t, filepath.Join(s.Data, "arriving")))
	require.NoError(t, os.WriteFile(filepath.Join(s.Inbox, "c.csv"), []byte("a\n1\n"), 0o600),
		"a file comes to the inbox meanwhile")

	// It comes back at the same address.
	cmd := restartOn(t, filepath.Join(dir, "postgres"), url)
	defer cmd()
	servicetest.Await(t, "the file of the inbox is taken", func() bool {
		page, err := s.Client.Deliveries(t.Context(), "", "", 0, 1)
		return err == nil && page.Total == 1
	})
	_, err = s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)
	require.NoError(t, s.Stop())
}

// What a killed service left between storing and recording is swept at the next start.
func TestOrphansAreSwept(t *testing.T) {
	first := servicetest.Start(t, "", nil)
	d, err := first.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)
	require.NoError(t, first.Stop())
	orphan := filepath.Join(first.Data, "deliveries", "00", strings.Repeat("00", 32))
	require.NoError(t, os.MkdirAll(filepath.Dir(orphan), 0o700))
	require.NoError(t, os.WriteFile(orphan, []byte("x"), 0o400))
	require.NoError(t, os.MkdirAll(filepath.Join(first.Data, "runs", "unknown"), 0o700))
	second := servicetest.Start(t, first.Data, nil)
	assert.NoFileExists(t, orphan)
	assert.NoDirExists(t, filepath.Join(first.Data, "runs", "unknown"))
	r, err := second.Client.Content(t.Context(), d.ID)
	assert.Equal(t, "a\n1\n", servicetest.Read(t, r, err))
}

// Two data folders on one database are refused, and the first keeps working.
func TestTwoFoldersOnOneDatabase(t *testing.T) {
	dir := pgtest.Folder(t)
	db := pgtest.Start(t, filepath.Join(dir, "postgres"))
	one := servicetest.StartWith(t, filepath.Join(dir, "one"), func(c *service.Config) { c.DatabaseURL = db.URL() })
	d, err := one.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)
	err = service.Run(t.Context(), service.Config{Listen: "127.0.0.1:0", Data: filepath.Join(dir, "two"),
		DatabaseURL: db.URL(), Parallel: 1, Log: quiet})
	require.ErrorContains(t, err, "belongs to another data folder (last known as "+filepath.Join(dir, "one"))
	require.NoError(t, one.Stop())

	// The folder may move: what counts is what is in it.
	require.NoError(t, os.Rename(filepath.Join(dir, "one"), filepath.Join(dir, "moved")))
	moved := servicetest.StartWith(t, filepath.Join(dir, "moved"), func(c *service.Config) { c.DatabaseURL = db.URL() })
	r, err := moved.Client.Content(t.Context(), d.ID)
	assert.Equal(t, "a\n1\n", servicetest.Read(t, r, err))
}

// packed writes a ZIP archive of names and contents by turns.
func packed(t *testing.T, parts ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(parts); i += 2 {
		w, err := z.Create(parts[i])
		require.NoError(t, err)
		_, err = w.Write([]byte(parts[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// The files of an archive become deliveries all together, or none of them does.
func TestMembersAreTakenTogether(t *testing.T) {
	s := servicetest.StartWith(t, "", func(c *service.Config) { c.MaxUpload = 10 << 20 })
	add := func(content []byte) string {
		d, err := s.Client.AddDelivery(t.Context(), "a.zip", bytes.NewReader(content))
		require.NoError(t, err)
		return d.ID
	}
	var many []string
	for i := range 1001 {
		many = append(many, fmt.Sprintf("f%d.csv", i), fmt.Sprintf("a\n%d\n", i))
	}
	broken := packed(t, "a.csv", "a\n1\n", "b.csv", strings.Repeat("b\n2\n", 5000))
	broken[bytes.Index(broken, []byte("b.csv"))+10] ^= 0xFF // in its packed bytes
	for _, c := range []struct {
		what    string
		archive []byte
		status  int
		says    string
	}{
		{"one name is bad", packed(t, "a.csv", "a\n1\n", "b\u202Ec.csv", "b\n2\n"), 422, "none of the files was taken"},
		{"a NUL", packed(t, "a.csv", "a\n1\n", "b\x00c.csv", "b\n2\n"), 422, "none of the files was taken"},
		{"too many", packed(t, many...), 422, "holds 1001 files; at most 1000"},
		{"too much", packed(t, "a.csv", strings.Repeat("x", 6<<20), "b.csv", strings.Repeat("y", 6<<20)), 413,
			"none was taken"},
		{"one is damaged", broken, 422, "none of the files was taken"},
		{"no archive of several", packed(t, "a.csv", "a\n1\n"), 422, "no ZIP archive of several"},
	} {
		id := add(c.archive)
		before, err := s.Client.Deliveries(t.Context(), "", "", 0, 1)
		require.NoError(t, err)
		stored := servicetest.Deliveries(t, s.Data)
		_, err = s.Client.TakeMembers(t.Context(), id)
		assert.Equal(t, c.status, servicetest.Status(err), "%s: %v", c.what, err)
		assert.ErrorContains(t, err, c.says, c.what)
		after, err := s.Client.Deliveries(t.Context(), "", "", 0, 1)
		require.NoError(t, err)
		assert.Equal(t, before.Total, after.Total, c.what)
		assert.Equal(t, stored, servicetest.Deliveries(t, s.Data), "%s: no bytes are left", c.what)
	}
	taken, err := s.Client.TakeMembers(t.Context(), add(packed(t, many[:2000]...)))
	require.NoError(t, err)
	assert.Equal(t, 1000, taken.Total)
}

// Cancelling reaches every step of work on a workbook and of a profile within a second.
func TestCancelReachesEveryLoop(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	var sheet strings.Builder
	sheet.WriteString(`<worksheet><sheetData>`)
	for i := range 60_000 {
		fmt.Fprintf(&sheet, `<row r="%d">%s</row>`, i+1, strings.Repeat(fmt.Sprintf(`<c><v>%d.5</v></c>`, i), 20))
	}
	sheet.WriteString(`</sheetData></worksheet>`)
	const rels = `<Relationships>`
	book := packed(t,
		"_rels/.rels", rels+`<Relationship Id="r1" Type="x/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml", `<workbook><sheets><sheet name="a" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels", rels+`<Relationship Id="r1" Type="x/worksheet" Target="s.xml"/></Relationships>`,
		"xl/s.xml", sheet.String())
	d, err := s.Client.AddDelivery(t.Context(), "a.xlsx", bytes.NewReader(book))
	require.NoError(t, err)
	began := time.Now()
	whole, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	_, err = s.Client.StartProfile(t.Context(), d.ID, api.NewProfile{})
	require.NoError(t, err)
	_, err = s.Client.Follow(t.Context(), whole.ID, nil)
	require.NoError(t, err)
	_, err = s.Client.AwaitProfile(t.Context(), d.ID)
	require.NoError(t, err)
	undisturbed := time.Since(began)
	for _, after := range []time.Duration{0, 50, 200, 500} {
		run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
		profile, err := s.Client.StartProfile(t.Context(), d.ID, api.NewProfile{})
		require.NoError(t, err)
		servicetest.Await(t, "the run is under way", func() bool {
			r, err := s.Client.Run(t.Context(), run.ID)
			require.NoError(t, err)
			return r.State != store.Waiting
		})
		time.Sleep(after * time.Millisecond) // into the survey, and beyond it
		_, err = s.Client.CancelRun(t.Context(), run.ID)
		require.Contains(t, []int{0, 409}, servicetest.Status(err))
		_, err = s.Client.CancelProfile(t.Context(), d.ID)
		require.Contains(t, []int{0, 409}, servicetest.Status(err))
		_ = profile
		// What comes next begins at once.
		began := time.Now()
		small, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
		require.NoError(t, err)
		next, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: small.ID})
		require.NoError(t, err)
		next, err = s.Client.Follow(t.Context(), next.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, "accepted", next.Verdict)
		assert.Less(t, time.Since(began), undisturbed/2+time.Second, "after %d ms", after)
	}
	// A closed request ends the survey that it waits for.
	for range 3 {
		ctx, stop := context.WithTimeout(t.Context(), 100*time.Millisecond)
		_, _ = s.Client.Read(ctx, d.ID, nil)
		stop()
	}
	began = time.Now()
	require.NoError(t, s.Stop())
	assert.Less(t, time.Since(began), undisturbed+8*time.Second, "the service stops with its work at hand")
}
