package main

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"net"
	"net/http"
	"os"
	"slices"
	"sync"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"

	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
)

// passphrase is what the asking user signs in with.
const passphrase = "eleven-slow-barges-upriver"

// service measures what takes the database and HTTP.
func (r *report) service(ctx context.Context, o *organisation, decision time.Duration) error {
	return r.withRecords(ctx, o, func(ctx context.Context, database *mariadbd.Server, records *store.Store, o *organisation) error {
		db, err := sql.Open("mysql", database.DSN("bench"))
		if err != nil {
			return err
		}
		defer db.Close()
		if err := r.recursive(ctx, db, o, decision); err != nil {
			return err
		}
		if err := r.load(ctx, records, o); err != nil {
			return err
		}
		if err := r.search(ctx, records, db, o); err != nil {
			return err
		}
		for _, measure := range []func(context.Context, *mariadbd.Server, *store.Store, *organisation) error{r.decisions, r.followers} {
			if err := measure(ctx, database, records, o); err != nil {
				return err
			}
		}
		if err := r.follow(ctx, database, records, o); err != nil {
			return err
		}
		if err := r.past(ctx, database, records, o); err != nil {
			return err
		}
		if err := r.loam(ctx, database, records, o); err != nil {
			return err
		}
		if err := r.provisioning(ctx, database, records, o); err != nil {
			return err
		}
		// Last, since these let the organisation's own description go.
		if err := r.pages(ctx, database, records, o); err != nil {
			return err
		}
		return r.streams(ctx, database, records, o)
	})
}

// withRecords measures something on a database of its own, with an organisation in it.
func (r *report) withRecords(ctx context.Context, o *organisation, measure func(context.Context, *mariadbd.Server, *store.Store, *organisation) error) error {
	directory, err := os.MkdirTemp("", "arbora-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(directory)
	database, err := mariadbd.Start(ctx, directory)
	if err != nil {
		return err
	}
	defer database.Stop()
	if err := database.Create(ctx, "bench"); err != nil {
		return err
	}
	records, err := store.Open(ctx, database.DSN("bench"))
	if err != nil {
		return err
	}
	defer records.Close()
	db, err := sql.Open("mysql", database.DSN("bench"))
	if err != nil {
		return err
	}
	defer db.Close()
	start := time.Now()
	if err := fill(ctx, db, o); err != nil {
		return err
	}
	r.figure("fill", time.Since(start).Seconds(), "s")
	return measure(ctx, database, records, o)
}

// recursive asks the database the same question with one prepared recursive query over its indexed tables.
func (r *report) recursive(ctx context.Context, db *sql.DB, o *organisation, decision time.Duration) error {
	ask, err := db.PrepareContext(ctx, `WITH RECURSIVE
		up AS (SELECT id, parent_id FROM scope WHERE id = ? UNION ALL SELECT s.id, s.parent_id FROM scope s JOIN up ON s.id = up.parent_id),
		who AS (SELECT CAST(? AS BINARY(16)) AS id UNION SELECT m.group_id FROM membership m JOIN who ON m.organisation_id = ? AND m.member_id = who.id)
		SELECT COUNT(*) FROM up JOIN role_grant g ON g.scope_id = up.id JOIN who ON who.id = g.principal_id JOIN role_holds h ON h.role = g.role AND h.permission = ?`)
	if err != nil {
		return err
	}
	defer ask.Close()
	top := o.containers[0].ID
	asked := questions(o, 500)
	var failed error
	took := each(len(asked), func(i int) {
		var found int
		q := asked[i]
		if err := ask.QueryRowContext(ctx, q.Scope[:], q.Principal[:], top[:], int(q.Permission)).Scan(&found); err != nil {
			failed = err
		}
	})
	r.figure("recursive-sql", float64(took.Microseconds()), "µs")
	r.atLeast("recursive-sql/decide", float64(took)/float64(decision), 500)
	return failed
}

// load compares building the snapshot from the database with only reading the same rows.
func (r *report) load(ctx context.Context, records *store.Store, o *organisation) error {
	top := o.containers[0].ID
	var failed error
	scan := once(func() {
		_, err := records.Load(ctx, top, func(access.Change) error { return nil })
		failed = err
	})
	if failed != nil {
		return failed
	}
	build := once(func() {
		b := access.New(catalogue.Shipped()).Builder()
		revision, err := records.Load(ctx, top, b.Apply)
		if err == nil {
			_, err = b.Done(revision)
		}
		failed = err
	})
	r.figure("scan", scan.Seconds(), "s")
	r.figure("load", build.Seconds(), "s")
	r.figure("load/scan", float64(build)/float64(scan), "times")
	return failed
}

// once returns the median time of three runs.
func once(fn func()) time.Duration {
	times := make([]time.Duration, 3)
	for i := range times {
		start := time.Now()
		fn()
		times[i] = time.Since(start)
	}
	slices.Sort(times)
	return times[1]
}

// answer answers on a listener until what it gives is called.
func answer(listener net.Listener, handler http.Handler) (stop func() error) {
	server := &http.Server{Handler: handler}
	go server.Serve(listener)
	return server.Close
}

// bodiesOf are questions as they are sent.
func bodiesOf(asked []access.Question) [][]byte {
	c := catalogue.Shipped()
	bodies := make([][]byte, len(asked))
	for i, q := range asked {
		operation := c.Operation(q.Permission)
		bodies[i] = fmt.Appendf(nil, `{"subject":{"type":"user","id":"%s"},"action":{"name":"%s"},"resource":{"type":"%s","id":"%s"}}`,
			q.Principal, operation.Name, operation.Type, q.Scope)
	}
	return bodies
}

func batches(bodies [][]byte, size int) [][]byte {
	var made [][]byte
	for len(bodies) >= size {
		made = append(made, slices.Concat([]byte(`{"evaluations":[`), bytes.Join(bodies[:size], []byte(",")), []byte("]}")))
		bodies = bodies[size:]
	}
	return made
}

// load is requests sent one after the other by each of some clients at once.
type load struct {
	token  string
	method string // POST when it is empty
	prefix string // how an answer begins; that of a decision when it is empty
	socket string // of the server; empty for one on the network
	mutex  sync.Mutex
	took   []time.Duration
	total  time.Duration
}

const clients = 16

func (l *load) run(url string, bodies [][]byte, during time.Duration) error {
	return l.runAll([]string{url}, bodies, during)
}

// runAll sends requests to some addresses in turn, with bodies in turn if there are any.
func (l *load) runAll(urls []string, bodies [][]byte, during time.Duration) error {
	var wait sync.WaitGroup
	var failed error
	begin := time.Now()
	for n := range clients {
		wait.Go(func() {
			client := &http.Client{Transport: l.transport()}
			var took []time.Duration
			for i := n; time.Since(begin) < during; i += clients {
				start := time.Now()
				var body []byte
				if len(bodies) > 0 {
					body = bodies[i%len(bodies)]
				}
				if err := l.send(client, urls[i%len(urls)], body); err != nil {
					l.mutex.Lock()
					failed = err
					l.mutex.Unlock()
					return
				}
				took = append(took, time.Since(start))
			}
			l.mutex.Lock()
			l.took = append(l.took, took...)
			l.mutex.Unlock()
		})
	}
	wait.Wait()
	l.total += time.Since(begin)
	return failed
}

func (l *load) transport() *http.Transport {
	t := &http.Transport{MaxIdleConnsPerHost: 1}
	if l.socket != "" {
		t.DialContext = func(ctx context.Context, _, _ string) (net.Conn, error) {
			return new(net.Dialer).DialContext(ctx, "unix", l.socket)
		}
	}
	return t
}

func (l *load) send(client *http.Client, url string, body []byte) error {
	text, err := l.read(client, url, body)
	if err == nil && !bytes.HasPrefix(text, []byte(cmp.Or(l.prefix, `{"decision":`))) {
		err = fmt.Errorf("%s answered %.300s", url, text)
	}
	return err
}

// read asks, and gives what is answered.
func (l *load) read(client *http.Client, url string, body []byte) ([]byte, error) {
	request, err := http.NewRequest(cmp.Or(l.method, http.MethodPost), url, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Authorization", "Bearer "+l.token)
	response, err := client.Do(request)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	var read bytes.Buffer
	if response.ContentLength > 0 {
		read.Grow(int(response.ContentLength) + bytes.MinRead)
	}
	_, err = read.ReadFrom(response.Body)
	text := read.Bytes()
	if err == nil && response.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s answered %d: %s", url, response.StatusCode, text)
	}
	return text, err
}

func (l *load) rate() float64 { return float64(len(l.took)) / l.total.Seconds() }

func (l *load) p99() time.Duration {
	slices.Sort(l.took)
	return l.took[len(l.took)*99/100]
}
