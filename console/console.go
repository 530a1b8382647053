// Package console holds the built pages of the console and serves them.
package console

import (
	"embed"
	"io/fs"
	"net/http"
	"path"
	"strings"
)

//go:embed all:dist
var dist embed.FS

const notBuilt = `<!doctype html><html lang="en"><meta charset="utf-8"><title>Sieb</title>
<body style="font:16px/1.5 sans-serif;max-width:40em;margin:4em auto;padding:0 1em">
<h1>The console was not built</h1>
<p>This program was made without its pages. The service itself works: its routes stand in
<a href="/api/openapi.json">/api/openapi.json</a>, and the command line works.</p>
<p>To have the console, run <code>make build</code> and start the program again.</p>`

// Handler serves the pages. Any path that is not a file is one of the
// console's own, and gets its first page.
func Handler() http.Handler {
	pages, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded
	}
	index, err := fs.ReadFile(pages, "index.html")
	if err != nil {
		return http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			_, _ = w.Write([]byte(notBuilt))
		})
	}
	files := http.FileServerFS(pages)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
		w.Header().Set("Content-Security-Policy",
			"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:")
		if info, err := fs.Stat(pages, name); name != "" && err == nil && !info.IsDir() && name != "index.html" {
			// Names of built files change with their content.
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			files.ServeHTTP(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Cache-Control", "no-cache")
		_, _ = w.Write(index)
	})
}
