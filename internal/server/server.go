// Package server speaks HTTP for package service: the API of the contract in package api, and the console. It decides
// nothing; it finds out who calls, holds every request against the contract, and writes answers and problems.
package server

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"

	"arbora.example/internal/loopback"
	"arbora.example/internal/problem"
	"arbora.example/internal/server/authzen"
	"arbora.example/internal/server/contract"
	"arbora.example/internal/server/oauth"
	"arbora.example/internal/server/scim"
	"arbora.example/internal/service"
)

// Server answers HTTP requests.
type Server struct {
	service *service.Service
	routes  map[string]route // by method and gin path
	version string
	log     *slog.Logger
	loam    string
	secure  bool   // people reach the service by https
	host    string // under which they reach it, with the port if it is named
}

// Options are what a server works with.
type Options struct {
	Service *service.Service
	Console fs.FS
	Version string
	Log     *slog.Logger
	Loam    string   // where Loam, the stand-in cloud, answers; empty for none
	Contact string   // where whoever finds a weakness turns to; empty for nowhere
	Proxies []string // addresses and networks whose word is taken for where a request came from
}

// New returns the handler of the API, of the console, and of the way to Loam.
func New(o Options) (http.Handler, error) {
	routes, err := readContract()
	if err != nil {
		return nil, err
	}
	address, err := url.Parse(o.Service.Address())
	if err != nil {
		return nil, fmt.Errorf("the service's address is wrong: %w", err)
	}
	s := &Server{service: o.Service, routes: routes, version: o.Version, log: o.Log, loam: o.Loam, secure: address.Scheme == "https", host: address.Host}
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.UseRawPath, engine.UnescapePathValues = true, true // an address in a path has its slashes escaped
	engine.HandleMethodNotAllowed = true
	engine.RedirectTrailingSlash = false
	if err := engine.SetTrustedProxies(o.Proxies); err != nil {
		return nil, err
	}
	engine.Use(s.logRequest, gin.CustomRecoveryWithWriter(nil, s.recovered), s.securityHeaders, s.meant)
	strict := contract.NewStrictHandlerWithOptions(handlers{s}, nil, contract.StrictGinServerOptions{
		RequestErrorHandlerFunc:  s.writeError,
		HandlerErrorFunc:         s.writeError,
		ResponseErrorHandlerFunc: s.writeError,
	})
	group := engine.Group(basePath, limitBody, s.admit, s.once)
	group.GET("/organisations/:organisation/stream", s.stream)
	group.GET("/organisations/:organisation/following/snapshot", s.followSnapshot)
	group.GET("/organisations/:organisation/following/changes", s.followChanges)
	group.POST("/organisations/:organisation/following/attempts", s.noteAttempts)
	contract.RegisterHandlersWithOptions(group, strict, contract.GinServerOptions{
		ErrorHandler: func(c *gin.Context, err error, _ int) {
			s.writeError(c, &problem.Problem{Kind: problem.Invalid, Detail: err.Error()})
		},
	})
	s.mountOutside(engine.Group("/sign-in", limitBody))
	if err := s.mountLoam(engine); err != nil {
		return nil, err
	}
	authzen.Routes{Answers: o.Service, Address: o.Service.Address(), Caller: s.identifyReady, Fail: s.writeError}.Mount(engine)
	if o.Contact != "" {
		engine.Match([]string{http.MethodGet, http.MethodHead}, "/.well-known/security.txt", securityText(o.Contact, o.Service.Now))
	}
	scim.Handler{
		Provisioning: o.Service.Provisioning, Address: o.Service.Address(), Level: o.Service.LevelNow, Refused: o.Service.NoteToken,
		Log: func(err error) { s.log.Error("provisioning failed", "error", err) },
	}.Mount(engine.Group("", limitBody))
	oauth.Handler{Issuer: o.Service, Fail: s.writeError}.Mount(engine.Group("", limitBody))
	// Fonts are compressed already; answers of the API are left as they are: they hold secrets beside what a caller chose.
	compress := gzip.Gzip(gzip.DefaultCompression, gzip.WithExcludedExtensions([]string{".woff2", ".png"}))
	engine.NoRoute(compress, func(c *gin.Context) { s.unknownRoute(c, o.Console) })
	engine.NoMethod(func(c *gin.Context) {
		writeProblem(c, problemOf(http.StatusMethodNotAllowed, "no-such-method", c.Request.Method+" is not allowed here", "see the contract for what is"))
	})
	return engine, nil
}

const basePath = "/api/v1"

// Serve answers on a listener until the context ends; requests under way are then given a while to end. With protection it
// answers by TLS, and by HTTP/2 to whoever speaks that.
func Serve(ctx context.Context, listener net.Listener, protection *tls.Config, handler http.Handler) error {
	streamsEnd := make(chan struct{})
	server := &http.Server{
		Handler: handler,
		BaseContext: func(net.Listener) context.Context {
			return context.WithValue(context.Background(), streamsEndKey{}, streamsEnd)
		},
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       time.Minute,
		WriteTimeout:      2 * time.Minute,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
	}
	server.RegisterOnShutdown(func() { close(streamsEnd) })
	failed := make(chan error, 1)
	go func() {
		if server.TLSConfig = protection; protection == nil {
			failed <- server.Serve(listener)
		} else {
			failed <- server.ServeTLS(listener, "", "")
		}
	}()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	ending, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	err := server.Shutdown(ending)
	if errors.Is(err, context.DeadlineExceeded) {
		err = server.Close()
	}
	return err
}

func (s *Server) logRequest(c *gin.Context) {
	start := time.Now()
	c.Next()
	s.log.Info("request", "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(),
		"took", time.Since(start).Round(time.Microsecond), "from", c.ClientIP())
}

func (s *Server) recovered(c *gin.Context, cause any) {
	s.log.Error("a request panicked", "method", c.Request.Method, "path", c.Request.URL.Path, "cause", cause)
	writeProblem(c, internalProblem)
}

// contentSecurity is the Content-Security-Policy of all answers, with where styles may come from.
func contentSecurity(styles string) string {
	return "default-src 'none'; script-src 'self'; style-src " + styles + "; img-src 'self' data:; font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
}

// meant refuses requests for a host that this service is not, when it answers without TLS: see [loopback.Resists]. By TLS the
// certificate sees to it.
func (s *Server) meant(c *gin.Context) {
	proxied := c.ClientIP() != c.RemoteIP()
	if c.Request.TLS != nil || proxied || loopback.Resists(c.Request.Host) || strings.EqualFold(c.Request.Host, s.host) {
		return
	}
	c.Abort()
	writeProblem(c, problemOf(http.StatusMisdirectedRequest, "another-host", "this service answers at "+s.service.Address()+", not under the name that the request was made for", "use that address; if people reach the service by another, name it with arbora serve --address"))
}

// securityHeaders confines pages to what this server sends.
func (s *Server) securityHeaders(c *gin.Context) {
	h := c.Writer.Header()
	if s.secure {
		h.Set("Strict-Transport-Security", "max-age=31536000; includeSubDomains") // RFC 6797
	}
	h.Set("Cache-Control", "no-store") // what may be kept says so itself
	if id := c.GetHeader("X-Request-ID"); id != "" && strings.HasPrefix(c.Request.URL.Path, "/access/") {
		h.Set("X-Request-ID", id) // OpenID AuthZEN Authorization API 1.0, section 10.1.3
	}
	h.Set("Content-Security-Policy", contentSecurity("'self'"))
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=(), payment=()")
}

// securityText tells whom to turn to with a weakness (RFC 9116).
func securityText(contact string, now func() time.Time) gin.HandlerFunc {
	return func(c *gin.Context) {
		const lasts = 180 * 24 * time.Hour
		c.String(http.StatusOK, "Contact: %s\nExpires: %s\nPreferred-Languages: en\n", contact, now().Add(lasts).Format(time.RFC3339))
	}
}

// What bounds a request's body, in bytes: that of a file of people is larger.
const (
	maxBody = 1 << 20
	maxFile = 64 << 20
)

// limitBody works on a copy of the request: the server looks at the body of its own to see whether what was left unread
// forbids using the connection again.
func limitBody(c *gin.Context) {
	c.Request = c.Request.WithContext(c.Request.Context())
	most := int64(maxBody)
	if strings.HasSuffix(c.Request.URL.Path, "/directory/readings") {
		most = maxFile
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
	c.Header("Cache-Control", "no-store")
}
