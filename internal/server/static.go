package server

import (
	"bytes"
	"crypto/rand"
	"errors"
	"io/fs"
	"net/http"
	"path"
	"strings"

	"github.com/gin-gonic/gin"
)

// unknownRoute serves the console's files; what is none of them does not exist.
func (s *Server) unknownRoute(c *gin.Context, files fs.FS) {
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		writeProblem(c, problemOf(http.StatusNotFound, "no-such-route", "there is no "+c.Request.URL.Path, "see the contract for what there is"))
		return
	}
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	if name == "" || name == "." {
		name = "index.html"
	}
	if c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead {
		c.String(http.StatusMethodNotAllowed, "Only reading is allowed here.\n")
		return
	}
	if file, err := fs.Stat(files, name); errors.Is(err, fs.ErrNotExist) || err == nil && file.IsDir() {
		if name == "index.html" {
			c.String(http.StatusNotFound, "The console is not in this build: run make build. The API is at %s.\n", basePath)
			return
		}
		c.String(http.StatusNotFound, "There is nothing here. The console is at /.\n")
		return
	}
	if strings.HasPrefix(name, "assets/") {
		c.Header("Cache-Control", "public, max-age=31536000, immutable") // their names carry a hash of what is in them
	} else {
		c.Header("Cache-Control", "no-cache")
	}
	if name == "index.html" {
		s.serveIndex(c, files)
		return
	}
	c.Request.Header.Del("Range") // what is compressed on the way is not sent in parts
	c.Request.URL.Path = "/" + name
	http.FileServerFS(files).ServeHTTP(c.Writer, c.Request)
}

// nonceMark stands in index.html where the nonce of the answer belongs.
var nonceMark = []byte("{style-nonce}")

// serveIndex serves the console's page. The editor of statements makes a style sheet of its own: the page is told a word
// that allows it, another in every answer (Content Security Policy Level 3, section 8.1).
func (s *Server) serveIndex(c *gin.Context, files fs.FS) {
	page, err := fs.ReadFile(files, "index.html")
	if err != nil {
		s.writeError(c, err)
		return
	}
	nonce := rand.Text()
	c.Header("Content-Security-Policy", contentSecurity("'self' 'nonce-"+nonce+"'"))
	c.Header("Cache-Control", "no-store") // a kept page would carry the nonce of another answer
	c.Data(http.StatusOK, "text/html; charset=utf-8", bytes.ReplaceAll(page, nonceMark, []byte(nonce)))
}
