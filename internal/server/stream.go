package server

import (
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"arbora.example/api"
)

const (
	// stillHere is how often a stream on which nothing happens says that it goes on, and looks whether its caller is still in.
	stillHere = 20 * time.Second
	// streamWrite bounds how long a reader may take to take an event.
	streamWrite = 30 * time.Second
)

// streamsEndKey finds, in the context of every request, the channel that is closed when the server is asked to end: a stream
// would go on for ever otherwise.
type streamsEndKey struct{}

// stream tells the organisation's revision, at once and whenever it rises, with what its reader may know of what was changed (Server-Sent Events, WHATWG HTML, section 9.2).
func (s *Server) stream(c *gin.Context) {
	ctx := c.Request.Context()
	caller, _ := callerOf(ctx)
	news, changed, err := s.service.News(ctx, caller, c.Param("organisation"), 0)
	if err != nil {
		s.writeError(c, err)
		return
	}
	closed, err := s.service.OpenStream(caller)
	if err != nil {
		s.writeError(c, err)
		return
	}
	defer closed()
	c.Header("Content-Type", "text/event-stream")
	c.Status(http.StatusOK)
	out := http.NewResponseController(c.Writer)
	send := func(text string) bool {
		if out.SetWriteDeadline(time.Now().Add(streamWrite)) != nil {
			return false
		}
		_, err := c.Writer.WriteString(text)
		return err == nil && out.Flush() == nil
	}
	event := func() bool {
		data, err := json.Marshal(api.News{Revision: int64(news.Revision), Kinds: news.Kinds, Places: news.Places, Beyond: news.Beyond, Mine: news.Mine})
		return err == nil && send(fmt.Sprintf("id: %d\nevent: revision\ndata: %s\n\n", news.Revision, data))
	}
	ending, _ := ctx.Value(streamsEndKey{}).(chan struct{})
	tick := time.NewTicker(stillHere)
	defer tick.Stop()
	for going := event(); going; {
		select {
		case <-ctx.Done():
			return
		case <-ending:
			return
		case <-tick.C:
			going = s.stillIn(c) && send(": still here\n\n")
			continue
		case <-changed:
		}
		before := news.Revision
		if news, changed, err = s.service.News(ctx, caller, c.Param("organisation"), before); err != nil {
			return // the reader asks again, and is told why
		}
		going = news.Revision == before || s.stillIn(c) && event()
	}
}

// stillIn reports whether the caller of a stream could begin it anew.
func (s *Server) stillIn(c *gin.Context) bool {
	_, err := s.credential(c)
	return err == nil
}
