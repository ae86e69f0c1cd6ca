package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httputil"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
)

// loamPath is where Loam is reached through this service.
const loamPath = "/loam"

// mountLoam passes requests on to Loam, so that the console works with it under the session it has, and a terminal under the
// address it knows. Loam decides nothing by the way a request came: it has the token introspected and asks about each act.
func (s *Server) mountLoam(engine *gin.Engine) error {
	if s.loam == "" {
		return nil
	}
	target, err := url.Parse(s.loam)
	if err != nil || target.Host == "" {
		return fmt.Errorf("%q is not an address of Loam: write it as http://HOST:PORT", s.loam)
	}
	proxy := &httputil.ReverseProxy{
		Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(target)
			r.SetXForwarded()
		},
		// Whatever people put into Loam is kept from acting as the console, and Loam itself from speaking to browsers in its name.
		ModifyResponse: func(r *http.Response) error {
			for name := range r.Header {
				if !slices.Contains(passedOn, name) {
					r.Header.Del(name)
				}
			}
			r.Header.Set("Content-Security-Policy", "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:")
			r.Header.Set("X-Content-Type-Options", "nosniff")
			return nil
		},
		ErrorHandler: func(w http.ResponseWriter, _ *http.Request, cause error) {
			s.log.Warn("Loam cannot be reached", "error", cause)
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusServiceUnavailable)
			if err := json.NewEncoder(w).Encode(problemOf(http.StatusServiceUnavailable, "unavailable", "Loam cannot be reached", "try again when it runs")); err != nil {
				s.log.Warn("an answer broke off", "error", err)
			}
		},
	}
	engine.Any(loamPath+"/*path", func(c *gin.Context) {
		if err := s.passToken(c); err != nil {
			s.writeError(c, err)
			return
		}
		request := c.Request.Clone(c.Request.Context())
		request.URL.Path, request.URL.RawPath = strings.TrimPrefix(request.URL.Path, loamPath), strings.TrimPrefix(request.URL.RawPath, loamPath)
		for _, header := range []string{"Content-Security-Policy", "X-Content-Type-Options"} {
			c.Writer.Header().Del(header)
		}
		proxy.ServeHTTP(c.Writer, request)
	})
	return nil
}

// passedOn are the headers of Loam's answers that reach whoever asked.
var passedOn = []string{"Content-Type", "Content-Length", "Content-Disposition", "Content-Encoding", "Content-Range", "Accept-Ranges", "Date", "Etag", "Last-Modified", "Retry-After"}

// passToken shows Loam a token of minutes that is good for nothing but Loam, in place of what the caller showed: whoever runs a
// platform service, or breaks into one, gets nobody's session. A request without a credential goes on without one: what is public
// takes none. What Arbora did not make goes on as it came: Loam has credentials of its own, such as a connection to a database.
func (s *Server) passToken(c *gin.Context) error {
	cookie, err := c.Cookie(s.cookieName())
	shown := c.GetHeader("Authorization")
	none := shown == "" && (err != nil || cookie == "")
	defer c.Request.Header.Del("Cookie")
	if none {
		return nil
	}
	caller, err := s.credential(c)
	var p *problem.Problem
	if errors.As(err, &p) && p.Kind == problem.Foreign && shown != "" {
		return nil
	}
	c.Request.Header.Del("Authorization")
	if p != nil && p.Kind != problem.Refused && c.Request.Method == http.MethodGet && shown == "" {
		return nil // an old cookie does not keep anybody from what is public
	} else if err != nil {
		return err
	}
	if caller.Audience != "" {
		return forAnother(caller)
	}
	token, err := s.service.Exchange(c.Request.Context(), caller, signin.Cloud)
	if err != nil {
		return err
	}
	c.Request.Header.Set("Authorization", "Bearer "+string(token))
	return nil
}
