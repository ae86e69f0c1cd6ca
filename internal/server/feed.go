package server

import (
	"context"
	"encoding/json"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"arbora.example/authzen"
	"arbora.example/internal/evaluation"
	"arbora.example/internal/feed"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// What followers read is written piece by piece, or waited for: it is answered beside the generated face.

// snapshotWithin bounds how long a follower may take to read a snapshot.
const snapshotWithin = 10 * time.Minute

// followSnapshot writes everything that decisions in an organisation depend on.
func (s *Server) followSnapshot(c *gin.Context) {
	caller, _ := callerOf(c.Request.Context())
	write, err := s.service.FollowSnapshot(c.Request.Context(), caller, c.Param("organisation"))
	if err == nil {
		err = http.NewResponseController(c.Writer).SetWriteDeadline(time.Now().Add(snapshotWithin))
	}
	if err != nil {
		s.writeError(c, err)
		return
	}
	c.Header("Content-Type", "application/octet-stream")
	c.Status(http.StatusOK)
	if err := write(c.Writer); err != nil { // the follower sees that it is torn
		s.log.Warn("a follower did not read the whole snapshot", "error", err)
	}
}

// followChanges answers with the changes since a state, and waits for the next one when there is none yet.
func (s *Server) followChanges(c *gin.Context) {
	ctx := c.Request.Context()
	caller, _ := callerOf(ctx)
	since, wait, err := followed(c)
	if err == nil {
		err = s.untilChanged(c, caller, since, wait)
	}
	var page feed.Page
	if err == nil {
		// It may have waited: what it is told is as fresh as what a request that arrived now is.
		page, err = s.service.FollowChanges(tenant.Arrived(ctx), caller, c.Param("organisation"), since)
	}
	if err != nil {
		s.writeError(c, err)
		return
	}
	c.JSON(http.StatusOK, page)
}

// untilChanged waits until an organisation is beyond a state, for as long as the follower asked, or until the service ends; then it sees
// that the follower may still follow.
func (s *Server) untilChanged(c *gin.Context, caller tenant.Caller, since feed.State, wait time.Duration) error {
	ctx := c.Request.Context()
	changed, err := s.service.Beyond(ctx, caller, c.Param("organisation"), since)
	if err != nil || changed == nil || wait == 0 {
		return err
	}
	done := s.service.Following()
	defer done()
	over := time.NewTimer(wait)
	defer over.Stop()
	ending, _ := ctx.Value(streamsEndKey{}).(chan struct{})
	select {
	case <-changed:
		select {
		case <-time.After(tenant.NewTurn().Wait(time.Now(), s.service.Followers())):
		case <-ctx.Done():
		case <-ending:
		}
	case <-over.C:
	case <-ctx.Done():
	case <-ending:
	}
	_, err = s.credential(c)
	return err
}

// followed reads the state that a follower is at, and how long it waits for another.
func followed(c *gin.Context) (since feed.State, wait time.Duration, err error) {
	if since.Revision, err = strconv.ParseUint(c.Query("since"), 10, 64); err != nil {
		return since, 0, notAState("since", err)
	}
	if err := since.Record.UnmarshalText([]byte(c.Query("record"))); err != nil {
		return since, 0, notAState("record", err)
	}
	if err := since.Catalogue.UnmarshalText([]byte(c.Query("catalogue"))); err != nil {
		return since, 0, notAState("catalogue", err)
	}
	if text := c.Query("wait"); text != "" {
		milliseconds, err := strconv.Atoi(text)
		if err != nil {
			return since, 0, notAState("wait", err)
		}
		wait = time.Duration(milliseconds) * time.Millisecond
	}
	return since, wait, nil
}

func notAState(field string, err error) error {
	return &problem.Problem{Kind: problem.Invalid, Field: field, Detail: err.Error(), Next: "send the state of an earlier answer"}
}

// noteAttempts records what a follower refused to those whom its platform service serves: the service answers the same questions itself.
func (s *Server) noteAttempts(c *gin.Context) {
	var asked struct {
		Evaluations []authzen.Request `json:"evaluations"`
	}
	caller, _ := callerOf(c.Request.Context())
	err := json.NewDecoder(c.Request.Body).Decode(&asked)
	if err == nil {
		err = s.service.NoteAttempts(context.WithoutCancel(c.Request.Context()), caller, c.Param("organisation"), evaluation.Questions(asked.Evaluations))
	}
	if err != nil {
		s.writeError(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}
