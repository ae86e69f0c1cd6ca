package server

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"arbora.example/internal/problem"
)

// onceHeader carries a key of the client's choice, under which a request is carried out once (draft-ietf-httpapi-idempotency-key-header).
const onceHeader = "Idempotency-Key"

const (
	longestKey = 255
	// mostKept bounds the answers that are kept. To one that is longer the client hears that it was carried out.
	mostKept = 1 << 20
)

// once answers a request that was carried out under its key before as it was answered then, but for secrets.
func (s *Server) once(c *gin.Context) {
	key := c.GetHeader(onceHeader)
	caller, known := callerOf(c.Request.Context())
	r := s.routes[c.Request.Method+" "+c.FullPath()]
	if key == "" || !known || c.IsAborted() || c.Request.Method != http.MethodPost || slices.Contains(readsByPost, r.Operation.OperationID) || c.Query("preview") == "true" {
		return
	}
	if len(key) > longestKey || strings.ContainsFunc(key, func(letter rune) bool { return letter < '!' || letter > '~' }) {
		s.writeError(c, &problem.Problem{Kind: problem.Invalid, Detail: "the key is not valid", Next: fmt.Sprintf("send 1 to %d printable ASCII characters without spaces, such as a UUID", longestKey), Field: onceHeader})
		return
	}
	body, err := io.ReadAll(c.Request.Body)
	if err != nil {
		s.writeError(c, err)
		return
	}
	if before, ok := c.Request.Body.(decoded); ok {
		c.Request.Body = readAgain{before, bytes.NewReader(body)}
	} else {
		c.Request.Body = io.NopCloser(bytes.NewReader(body))
	}
	request := sha256.Sum256(fmt.Appendf(nil, "%s %s\n%s", c.Request.Method, c.Request.URL.RequestURI(), body))
	caller, earlier, err := s.service.Once(c.Request.Context(), caller, key, request)
	if err != nil {
		s.writeError(c, err)
		return
	}
	if earlier != nil {
		c.Data(earlier.Status, "application/json", earlier.Body)
		c.Abort()
		return
	}
	c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), callerKey{}, caller))
	kept := &keptAnswer{ResponseWriter: c.Writer}
	c.Writer = kept
	defer func() { // also when the handler panics: what the transaction wrote decides
		if err := s.service.Answer(c.Request.Context(), caller, kept.Status(), kept.withoutSecrets()); err != nil {
			s.log.Warn("the answer to a request under a key cannot be kept: a repeated request is answered that it was carried out", "error", err)
		}
	}()
	c.Next()
}

// decoded is a body that was decoded already, by [checkRequest].
type decoded interface {
	io.ReadCloser
	ValidatedValue() any
}

// readAgain is a body whose text can be read once more; what was decoded from it stays.
type readAgain struct {
	decoded
	text io.Reader
}

// Read reads the text.
func (b readAgain) Read(into []byte) (int, error) { return b.text.Read(into) }

// keptAnswer keeps what it passes on.
type keptAnswer struct {
	gin.ResponseWriter
	body bytes.Buffer
}

// Write passes a part of the answer on.
func (k *keptAnswer) Write(part []byte) (int, error) {
	if k.body.Len()+len(part) <= mostKept {
		k.body.Write(part)
	}
	return k.ResponseWriter.Write(part)
}

// WriteString passes a part of the answer on.
func (k *keptAnswer) WriteString(part string) (int, error) { return k.Write([]byte(part)) }

// secrets are the fields of answers that are shown once.
var secrets = []string{"password", "secret", "token", "url"}

// withoutSecrets returns the answer without what is shown once; nil when it is no JSON.
func (k *keptAnswer) withoutSecrets() []byte {
	decoder := json.NewDecoder(&k.body)
	decoder.UseNumber()
	var value any
	if decoder.Decode(&value) != nil {
		return nil
	}
	text, err := json.Marshal(stripped(value))
	if err != nil {
		return nil
	}
	return text
}

func stripped(value any) any {
	switch v := value.(type) {
	case map[string]any:
		for name, inner := range v {
			if slices.Contains(secrets, name) {
				delete(v, name)
				continue
			}
			v[name] = stripped(inner)
		}
	case []any:
		for i := range v {
			v[i] = stripped(v[i])
		}
	}
	return value
}
