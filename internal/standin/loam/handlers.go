package loam

import (
	"errors"
	"io"
	"mime"
	"net/http"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"arbora.example/internal/standin/loam/loamapi"
)

// Handler answers Loam's HTTP requests.
func (l *Cloud) Handler() (http.Handler, error) {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.UseRawPath, engine.UnescapePathValues = true, true // an address in a path has its slashes escaped
	if err := engine.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	engine.Use(l.logRequest, gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, cause any) {
		l.log.Error("a request panicked", "path", c.Request.URL.Path, "cause", cause)
		l.fail(c, errors.New("panicked"))
	}))
	v1 := engine.Group("/v1")
	v1.GET("/status", l.status)
	v1.GET("/offers", func(c *gin.Context) { c.JSON(http.StatusOK, Offers()) })
	v1.GET("/here/:key", l.showHere)
	v1.POST("/resources", l.createResource)
	v1.POST("/resources/:key/:operation", l.actOn)
	v1.GET("/apps/:key", l.showApp)
	v1.GET("/objects/*address", l.getObject)
	v1.PUT("/objects/*address", l.putObject)
	v1.DELETE("/objects/*address", l.deleteObject)
	engine.NoRoute(func(c *gin.Context) {
		l.fail(c, problem(http.StatusNotFound, "no-such-route", c.Request.Method+" "+c.Request.URL.Path+" is not there", "see docs/loam.md for what is"))
	})
	return engine, nil
}

func (l *Cloud) logRequest(c *gin.Context) {
	start := time.Now()
	c.Next()
	l.log.Info("request", "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(), "took", time.Since(start).Round(time.Microsecond))
}

// fail answers with a problem.
func (l *Cloud) fail(c *gin.Context, err error) {
	var p *Problem
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		p = problem(http.StatusRequestEntityTooLarge, "too-large", "that is more than "+strconv.FormatInt(tooLarge.Limit, 10)+" bytes", "send less")
	case !errors.As(err, &p):
		l.log.Error("a request failed", "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
		p = problem(http.StatusInternalServerError, "internal", "Loam failed", "try again; its log says more")
	case p.cause != nil:
		l.log.Warn("Arbora cannot be asked", "path", c.Request.URL.Path, "error", p.cause)
	}
	c.Header("Content-Type", "application/problem+json")
	c.Header("Cache-Control", "no-store")
	c.AbortWithStatusJSON(p.Status, p.Problem)
}

func (l *Cloud) status(c *gin.Context) {
	if err := l.Healthy(c.Request.Context()); err != nil {
		l.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"services": loamapi.Services})
}

// mostInput bounds a request that is no object, in bytes.
const mostInput = 1 << 20

func (l *Cloud) input(c *gin.Context, in *loamapi.Input) error {
	body := http.MaxBytesReader(c.Writer, c.Request.Body, mostInput)
	if c.Request.ContentLength == 0 {
		return nil
	}
	return decodeInput(body, in)
}

func (l *Cloud) showHere(c *gin.Context) {
	asked, err := l.newCall(c.Request.Context(), c.Request, c.ClientIP(), c.Param("key"))
	if err != nil {
		l.fail(c, err)
		return
	}
	h, err := asked.here(c.Request.Context())
	l.answer(c, http.StatusOK, h, err)
}

func (l *Cloud) answer(c *gin.Context, status int, value any, err error) {
	if err != nil {
		l.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.JSON(status, value)
}

func (l *Cloud) createResource(c *gin.Context) {
	var in loamapi.Input
	err := l.input(c, &in)
	if err == nil && in.At == "" {
		err = invalid("at", "the scope to create it in is missing", "name a project or compartment")
	}
	if err != nil {
		l.fail(c, err)
		return
	}
	asked, err := l.newCall(c.Request.Context(), c.Request, c.ClientIP(), in.At)
	if err != nil {
		l.fail(c, err)
		return
	}
	asked.in = in
	made, err := asked.create(c.Request.Context())
	l.answer(c, http.StatusCreated, made, err)
}

func (l *Cloud) actOn(c *gin.Context) {
	ctx, key := c.Request.Context(), c.Param("key")
	var in loamapi.Input
	err := l.input(c, &in)
	if err != nil {
		l.fail(c, err)
		return
	}
	asked, err := l.newActor(c, key)
	if err == nil {
		asked.in = in
		if asked.typ == "" {
			asked.typ, err = l.typeOf(ctx, key)
		}
	}
	if err != nil {
		l.fail(c, err)
		return
	}
	done, err := asked.act(ctx, c.Param("operation"))
	l.answer(c, http.StatusOK, done, err)
}

// newActor is newCall that takes a connection to a database too, for that database.
func (l *Cloud) newActor(c *gin.Context, key string) (*call, error) {
	token, _ := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
	if !isConnection(token) {
		return l.newCall(c.Request.Context(), c.Request, c.ClientIP(), key)
	}
	asked, database, err := l.connected(c.Request.Context(), token, c.ClientIP())
	if err != nil {
		return nil, err
	}
	// Whatever address is given, it is the database that was connected to.
	asked.key = database.String()
	if operation := c.Param("operation"); operation != "query" && operation != "amend" && operation != "purge" {
		return nil, problem(http.StatusForbidden, "refused", "a connection can only query, amend and purge", "send the token you hold at Arbora")
	}
	return asked, nil
}

// confine keeps what people put into Loam from acting on whoever looks at it.
func confine(c *gin.Context) {
	c.Header("Content-Security-Policy", "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:")
	c.Header("X-Content-Type-Options", "nosniff")
	c.Header("Cache-Control", "no-store")
}

func (l *Cloud) showApp(c *gin.Context) {
	ctx := c.Request.Context()
	asked, err := l.newCall(ctx, c.Request, c.ClientIP(), c.Param("key"))
	if err != nil {
		l.fail(c, err)
		return
	}
	asked.typ = "app"
	done, err := asked.act(ctx, "visit")
	if err != nil {
		l.fail(c, err)
		return
	}
	confine(c)
	c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(done.(loamapi.Page).Text))
}

// objectCall reads the address of an object: everything after /objects/.
func (l *Cloud) objectCall(c *gin.Context) (*call, string, error) {
	address := strings.TrimPrefix(c.Param("address"), "/")
	asked, err := l.newCall(c.Request.Context(), c.Request, c.ClientIP(), address)
	return asked, address, err
}

// getObject returns an object's bytes, or lists a bucket when no name follows it.
func (l *Cloud) getObject(c *gin.Context) {
	asked, address, err := l.objectCall(c)
	if err != nil {
		l.fail(c, err)
		return
	}
	if bucket, name, err := splitObject(address); err == nil && name == "" {
		list, err := asked.listObjects(c.Request.Context(), bucket, c.Query("after"), maxPage)
		if list == nil {
			list = []loamapi.Object{}
		}
		l.answer(c, http.StatusOK, gin.H{"objects": list}, err)
		return
	}
	o, body, err := asked.fetchObject(c.Request.Context(), address)
	if err != nil {
		l.fail(c, err)
		return
	}
	confine(c)
	c.Header("ETag", `"`+o.SHA256+`"`)
	c.Header("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": path.Base(o.Name)}))
	c.Data(http.StatusOK, o.MediaType, body)
}

func (l *Cloud) putObject(c *gin.Context) {
	asked, address, err := l.objectCall(c)
	if err != nil {
		l.fail(c, err)
		return
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, mostBytes))
	if err != nil {
		l.fail(c, err)
		return
	}
	o, err := asked.putObject(c.Request.Context(), address, c.GetHeader("Content-Type"), body)
	l.answer(c, http.StatusOK, o, err)
}

func (l *Cloud) deleteObject(c *gin.Context) {
	asked, address, err := l.objectCall(c)
	if err == nil {
		err = asked.eraseObject(c.Request.Context(), address)
	}
	if err != nil {
		l.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}
