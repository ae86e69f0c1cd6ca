package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"testing/fstest"
	"time"

	"github.com/gin-gonic/gin"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/internal/credential"
	"arbora.example/internal/server"
	"arbora.example/internal/service"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/tenant"
)

// asking is a service that answers questions of platform service storage over HTTP, as arbora serve does but for its log, which it keeps
// to itself up to warnings.
type asking struct {
	*service.Service
	base, token string
	asked       []access.Question // half of them are answered with no
	bodies      [][]byte
}

// ask has a service answer at an address of its own until what it gives last is called.
func startAsking(ctx context.Context, records *store.Store, o *organisation) (a *asking, end func() error, err error) {
	svc := service.New(service.Options{
		Records: tenant.RecordsIn(records), Catalogue: catalogue.Shipped(), Clock: time.Now, Address: "http://arbora.example",
		Log: slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})), Sealer: sealer(),
	})
	handler, err := server.New(server.Options{Service: svc, Console: fstest.MapFS{}, Log: slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))})
	if err != nil {
		return nil, nil, err
	}
	keeper, err := svc.SignIn(ctx, signin.SignInRequest{Name: "warden", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return nil, nil, err
	}
	key, err := svc.CreateServiceKey(ctx, keeper, "storage", signin.NewKey{Label: "bench"})
	if err != nil {
		return nil, nil, err
	}
	token, _, err := svc.IssueToken(ctx, signin.Program{Key: key.Key.ID.String(), Secret: key.Secret, Organisation: o.containers[0].Name, From: "127.0.0.1"})
	if err != nil {
		return nil, nil, err
	}
	now, err := svc.Snapshot(ctx, o.containers[0].ID)
	if err != nil {
		return nil, nil, err
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, nil, err
	}
	following, stop := context.WithCancel(ctx)
	go svc.Follow(following, 20*time.Millisecond)
	closed := answer(listener, handler)
	a = &asking{Service: svc, base: "http://" + listener.Addr().String(), token: token, asked: halfNo(o, now, 1<<14)}
	a.bodies = bodiesOf(a.asked)
	return a, func() error {
		stop()
		return errors.Join(closed(), svc.WithdrawKey(ctx, keeper, key.Key.ID.String()))
	}, nil
}

// sealer seals by a key of zeros.
func sealer() *credential.Sealer {
	s, err := credential.NewSealer(make([]byte, credential.SealingKeySize))
	if err != nil {
		panic(err)
	}
	return s
}

// halfNo are questions about buckets of which every other one is answered with no.
func halfNo(o *organisation, s *access.Snapshot, n int) []access.Question {
	var asked []access.Question
	for wanted := true; len(asked) < n; {
		for _, q := range questions(o, n) {
			if len(asked) < n && catalogue.Shipped().Operation(q.Permission).Type == "bucket" && s.Decide(q).Allowed == wanted {
				asked, wanted = append(asked, q), !wanted
			}
		}
	}
	return asked
}

// question is what the bare route reads, and told what it answers.
type (
	named    struct{ Type, ID, Name string }
	question struct{ Subject, Action, Resource named }
	told     struct {
		Decision bool `json:"decision"`
		Context  struct {
			Reason   string `json:"reason"`
			Revision uint64 `json:"revision"`
			Scope    string `json:"scope"`
			Grant    string `json:"grant"`
		} `json:"context"`
	}
)

// bareRoute decodes the same body and answers a constant of the same length.
func bareRoute() http.Handler {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	yes := told{Decision: true}
	yes.Context.Reason, yes.Context.Revision = "granted", 1
	yes.Context.Scope, yes.Context.Grant = tenant.NewID().String(), tenant.NewID().String()
	engine.POST("/access/v1/evaluation", func(c *gin.Context) {
		var q question
		if err := json.NewDecoder(c.Request.Body).Decode(&q); err != nil {
			c.Status(http.StatusBadRequest)
			return
		}
		c.JSON(http.StatusOK, yes)
	})
	return engine
}

// decisions compares questions over HTTP, asked by a platform service, with a route that only reads and writes JSON.
func (r *report) decisions(ctx context.Context, _ *mariadbd.Server, records *store.Store, o *organisation) error {
	a, end, err := startAsking(ctx, records, o)
	if err != nil {
		return err
	}
	defer end()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer answer(listener, bareRoute())()
	const path = "/access/v1/evaluation"
	bareURL := "http://" + listener.Addr().String() + path
	if err := (&load{token: a.token}).run(a.base+path, a.bodies, 2*time.Second); err != nil { // what is not there yet is made
		return err
	}
	decided, bare := &load{token: a.token}, &load{token: a.token}
	for range 5 {
		if err := bare.run(bareURL, a.bodies, 2*time.Second); err != nil {
			return err
		}
		if err := decided.run(a.base+path, a.bodies, 2*time.Second); err != nil {
			return err
		}
	}
	r.figure("http-bare", bare.rate(), "requests/s")
	r.figure("http-decide", decided.rate(), "requests/s")
	r.atLeast("http-decide/bare", decided.rate()/bare.rate(), 0.6)
	r.atMost("http-decide-p99/bare", float64(decided.p99())/float64(bare.p99()), 2)
	return r.batch(a)
}

// batch compares questions by the thousand with reading and writing the same bodies by package encoding/json alone.
func (r *report) batch(a *asking) error {
	type batch struct{ Evaluations []question }
	type answers struct {
		Evaluations []told `json:"evaluations"`
	}
	bodies := batches(a.bodies, 1000)
	client, l := &http.Client{}, &load{token: a.token}
	var told [][]byte
	for _, body := range bodies {
		text, err := l.read(client, a.base+"/access/v1/evaluations", body)
		if err != nil {
			return err
		}
		told = append(told, text)
	}
	var failed error
	asked := each(40, func(i int) {
		if _, err := l.read(client, a.base+"/access/v1/evaluations", bodies[i%len(bodies)]); err != nil {
			failed = err
		}
	})
	alone := each(40, func(i int) {
		var q batch
		var t answers
		if err := json.Unmarshal(bodies[i%len(bodies)], &q); err != nil {
			failed = err
		}
		if err := json.Unmarshal(told[i%len(bodies)], &t); err != nil {
			failed = err
		}
		if _, err := json.Marshal(&t); err != nil {
			failed = err
		}
	})
	written := each(40, func(i int) {
		var t answers
		if err := json.Unmarshal(told[i%len(bodies)], &t); err != nil {
			failed = err
		}
	})
	if failed != nil {
		return failed
	}
	r.figure("batched", 1000/asked.Seconds(), "decisions/s")
	r.figure("json-alone", float64((alone-written).Microseconds())/1000, "ms")
	r.atMost("batch/json", float64(asked)/float64(alone-written), 2.5)
	if !bytes.Contains(told[0], []byte(`"decision":true`)) || !bytes.Contains(told[0], []byte(`"decision":false`)) {
		return fmt.Errorf("half of the answers should be no: %.300s", told[0])
	}
	return nil
}
