package server

import (
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"arbora.example/internal/known"
	"arbora.example/internal/plainjson"
	"arbora.example/internal/tenant"
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
	send := func(text []byte) bool {
		if out.SetWriteDeadline(time.Now().Add(streamWrite)) != nil {
			return false
		}
		_, err := c.Writer.Write(text)
		return err == nil && out.Flush() == nil
	}
	var room []byte
	event := func() bool {
		room = appendEvent(room[:0], &news)
		return send(room)
	}
	var in check
	ending, _ := ctx.Value(streamsEndKey{}).(chan struct{})
	tick := time.NewTicker(stillHere)
	defer tick.Stop()
	turn, moment := tenant.NewTurn(), time.NewTimer(0)
	defer moment.Stop()
	for going := event(); going; {
		select {
		case <-ctx.Done():
			return
		case <-ending:
			return
		case <-tick.C:
			going = s.stillIn(c, &in) && send([]byte(": still here\n\n"))
			continue
		case <-changed:
		}
		moment.Reset(turn.Wait(time.Now(), s.service.Streams()))
		select {
		case <-ctx.Done():
			return
		case <-ending:
			return
		case <-moment.C:
		}
		before := news.Revision
		// A stream lasts: what it is told is as fresh as what a request that arrived now is.
		if news, changed, err = s.service.News(tenant.Arrived(ctx), caller, c.Param("organisation"), before); err != nil {
			return // the reader asks again, and is told why
		}
		going = news.Revision == before || (!news.Beside && in.holds(s.service.Mark()) || s.stillIn(c, &in)) && event()
	}
}

// appendEvent writes an event, whose data is that of [api.News].
func appendEvent(b []byte, n *tenant.News) []byte {
	b = strconv.AppendUint(append(b, "id: "...), n.Revision, 10)
	b = append(b, "\nevent: revision\ndata: {"...)
	if n.Beyond {
		b = append(b, `"beyond":true,`...)
	}
	b = appendTexts(b, `"kinds":[`, n.Kinds)
	if n.Mine {
		b = append(b, `"mine":true,`...)
	}
	b = appendTexts(b, `"places":[`, n.Places)
	b = strconv.AppendUint(append(b, `"revision":`...), n.Revision, 10)
	return append(b, "}\n\n"...)
}

// appendTexts writes a member that is a list of texts, and a comma; nothing for an empty list.
func appendTexts(b []byte, begin string, texts []string) []byte {
	for i, text := range texts {
		if i > 0 {
			begin = ","
		}
		b = plainjson.AppendText(append(b, begin...), text)
	}
	if len(texts) > 0 {
		b = append(b, "],"...)
	}
	return b
}

// check is when the caller of a stream was found to be in.
type check struct {
	mark known.Mark // before it
	at   time.Time
}

// checkLasts is for how long a check holds where nothing was changed by which it could come out otherwise: what ends with
// time alone may end that much later.
const checkLasts = time.Second

func (k check) holds(now known.Mark) bool { return k.mark == now && time.Since(k.at) < checkLasts }

// stillIn reports whether the caller of a stream could begin it anew.
func (s *Server) stillIn(c *gin.Context, in *check) bool {
	in.mark, in.at = s.service.Mark(), time.Now()
	request := c.Request
	_, err := s.credential(c)
	c.Request = request // a stream asks often, and each would add to it
	return err == nil
}
