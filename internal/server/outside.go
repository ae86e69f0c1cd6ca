package server

import (
	"errors"
	"net/http"
	"regexp"
	"strings"

	"github.com/gin-gonic/gin"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/outside"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
)

// mountOutside adds the routes by which browsers go to identity providers and come back. They are addresses to open, not operations of the
// contract.
func (s *Server) mountOutside(group *gin.RouterGroup) {
	group.GET("/by/:organisation/:provider", s.sendOutside)
	group.GET("/trial/:token", s.sendOnTrial)
	group.GET("/return/:trust", s.returnOutside)
	group.POST("/ended/:trust", s.endOutside)
}

// consolePage is what a page of the console is called; what else comes back with a browser leads to the first.
var consolePage = regexp.MustCompile(`^/[A-Za-z0-9][A-Za-z0-9/_.@?=&%~-]*$`)

// sendOutside sends a browser to a provider to sign in there, or, with proof, to do so anew in its session here.
func (s *Server) sendOutside(c *gin.Context) {
	if s.elsewhere(c) {
		return
	}
	errand := signin.Errand{}
	if back := c.Query("back"); consolePage.MatchString(back) {
		errand.Back = back
	}
	if c.Query("proof") != "" {
		caller, err := s.credential(c)
		if err != nil {
			s.turnBack(c, err)
			return
		}
		errand.Session = caller.Session
	}
	sent, err := s.service.SendOutside(c.Request.Context(), c.Param("organisation"), c.Param("provider"), c.ClientIP(), errand)
	s.send(c, sent, err)
}

// elsewhere sends a browser on that did not come by the address of the service: to that one it will come back, and what it is given is for one
// address alone. Once is enough, for whom something between them changes the address.
func (s *Server) elsewhere(c *gin.Context) bool {
	if strings.EqualFold(c.Request.Host, s.host) || c.Query("sent") != "" {
		return false
	}
	u := *c.Request.URL
	q := u.Query()
	q.Set("sent", "1")
	u.RawQuery = q.Encode()
	c.Redirect(http.StatusSeeOther, s.service.Address()+u.RequestURI())
	return true
}

func (s *Server) sendOnTrial(c *gin.Context) {
	sent, err := s.service.SendOnTrial(c.Request.Context(), credential.Token(c.Param("token")))
	s.send(c, sent, err)
}

func (s *Server) send(c *gin.Context, sent signin.Sent, err error) {
	if err != nil {
		s.turnBack(c, err)
		return
	}
	c.Writer.Header().Add("Set-Cookie", s.awayCookie(sent.State, string(sent.Token), 600))
	c.Redirect(http.StatusSeeOther, sent.Address)
}

// awayCookie marks the browser that went to a provider. It comes back from another site, and still shows this one: so its like is not as strict
// as a session's. Each errand has one of its own.
func (s *Server) awayCookie(state, value string, maxAge int) string {
	cookie := http.Cookie{Name: s.awayName(state), Value: value, Path: "/", MaxAge: maxAge, HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: s.secure}
	return cookie.String()
}

func (s *Server) awayName(state string) string {
	const most = 12
	name := "arbora-away-" + state[:min(most, len(state))]
	if s.secure {
		return "__Host-" + name
	}
	return name
}

// returnOutside takes a browser back from a provider.
func (s *Server) returnOutside(c *gin.Context) {
	state := c.Query("state")
	trust, err := model.ParseID(c.Param("trust"))
	if err != nil {
		s.turnBack(c, &problem.Problem{Kind: problem.NotThere, Detail: "no provider is trusted at this address", Next: "begin at the sign-in page"})
		return
	}
	token, err := c.Cookie(s.awayName(state))
	if err != nil && !errors.Is(err, http.ErrNoCookie) {
		s.turnBack(c, err)
		return
	}
	c.Writer.Header().Add("Set-Cookie", s.awayCookie(state, "", -1))
	back := outside.Returned{Code: c.Query("code"), Issuer: c.Query("iss"), Error: c.Query("error"), Description: c.Query("error_description")}
	home, err := s.service.ReturnOutside(c.Request.Context(), trust, credential.Token(token), state, back, c.ClientIP(), c.Request.UserAgent())
	switch {
	case err != nil && home.Trial: // what went wrong stands among the arrivals
		c.Redirect(http.StatusSeeOther, "/#"+home.Back)
		return
	case err != nil:
		s.turnBack(c, err)
		return
	}
	if home.Caller.Token != "" {
		c.Writer.Header().Add("Set-Cookie", s.sessionCookie(string(home.Caller.Token), 0))
	}
	c.Redirect(http.StatusSeeOther, "/#"+home.Back)
}

// turnBack shows in the console why nobody was let in.
func (s *Server) turnBack(c *gin.Context, err error) {
	var p *problem.Problem
	if !errors.As(err, &p) {
		s.writeError(c, err)
		return
	}
	token, err := s.service.Tell(c.Request.Context(), p)
	if err != nil {
		s.writeError(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/#/?told="+string(token))
}

// endOutside ends the sessions of which a provider says that they have ended (OpenID Connect Back-Channel Logout 1.0, section 2.5).
func (s *Server) endOutside(c *gin.Context) {
	if !strings.HasPrefix(c.ContentType(), "application/x-www-form-urlencoded") {
		s.writeError(c, &problem.Problem{Kind: problem.Invalid, Detail: "a logout token comes as a form", Next: "send application/x-www-form-urlencoded"})
		return
	}
	trust, err := model.ParseID(c.Param("trust"))
	if err == nil {
		err = s.service.EndOutside(c.Request.Context(), trust, c.PostForm("logout_token"), c.ClientIP())
	} else {
		err = &problem.Problem{Kind: problem.NotThere, Detail: "no provider is trusted at this address", Next: "look up the address again"}
	}
	if err != nil {
		s.writeError(c, err)
		return
	}
	c.Status(http.StatusOK)
}
