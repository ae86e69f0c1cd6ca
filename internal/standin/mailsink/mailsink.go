// Package mailsink is a stand-in for the mail of people: a mail server (SMTP, RFC 5321) that takes every letter and shows it
// on a page instead of delivering it.
package mailsink

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"net"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
	"github.com/jhillyerd/enmime/v2"

	"arbora.example/internal/loopback"
	"arbora.example/internal/standin/webpage"
)

// Letter is a letter that was taken.
type Letter struct {
	At      time.Time `json:"at"`
	From    string    `json:"from"`
	To      []string  `json:"to"`
	Subject string    `json:"subject"`
	Text    string    `json:"text"`
}

// most is how many letters are kept; older ones are forgotten.
const most = 500

// Sink keeps the letters it takes.
type Sink struct {
	mu      sync.Mutex
	letters []Letter // oldest first
	smtp    *smtp.Server
	http    *http.Server
	mail    string
	page    string
}

// Start takes mail at one address and shows it at another; port 0 takes a free one.
func Start(mailAddress, pageAddress string) (*Sink, error) {
	mail, err := net.Listen("tcp", mailAddress)
	if err != nil {
		return nil, err
	}
	page, err := net.Listen("tcp", pageAddress)
	if err != nil {
		return nil, errors.Join(err, mail.Close())
	}
	s := &Sink{mail: "smtp://" + mail.Addr().String(), page: "http://" + page.Addr().String()}
	s.smtp = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{sink: s}, nil }))
	s.smtp.Domain = "mail-sink.localhost"
	s.smtp.MaxMessageBytes = 1 << 20
	s.smtp.ReadTimeout, s.smtp.WriteTimeout = time.Minute, time.Minute
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", s.showPage)
	mux.HandleFunc("GET /letters", s.showLetters)
	s.http = &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !loopback.Resists(r.Host) { // letters hold links that open accounts
			http.Error(w, "Open this page by its address: "+s.page, http.StatusMisdirectedRequest)
			return
		}
		mux.ServeHTTP(w, r)
	}), ReadHeaderTimeout: 10 * time.Second}
	go s.smtp.Serve(mail) // ends with Close
	go s.http.Serve(page)
	return s, nil
}

// Mail is where letters are taken, as smtp://HOST:PORT.
func (s *Sink) Mail() string { return s.mail }

// Page is where they are shown, as http://HOST:PORT.
func (s *Sink) Page() string { return s.page }

// Close stops both.
func (s *Sink) Close() error {
	ending, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	return errors.Join(s.smtp.Close(), s.http.Shutdown(ending))
}

// Letters returns the letters taken, newest first.
func (s *Sink) Letters() []Letter {
	s.mu.Lock()
	defer s.mu.Unlock()
	letters := slices.Clone(s.letters)
	slices.Reverse(letters)
	return letters
}

func (s *Sink) take(l Letter) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.letters = append(s.letters, l)
	if extra := len(s.letters) - most; extra > 0 {
		s.letters = slices.Delete(s.letters, 0, extra)
	}
}

// session is a connection that brings letters.
type session struct {
	sink *Sink
	from string
	to   []string
}

// Mail begins a letter.
func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	s.from = from
	return nil
}

// Rcpt names one whom it goes to.
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = append(s.to, to)
	return nil
}

// Data takes the letter.
func (s *session) Data(r io.Reader) error {
	read, err := enmime.ReadEnvelope(r)
	if err != nil {
		return fmt.Errorf("the letter cannot be read: %w", err)
	}
	s.sink.take(Letter{At: time.Now().UTC(), From: s.from, To: slices.Clone(s.to), Subject: read.GetHeader("Subject"), Text: read.Text})
	return nil
}

// Reset forgets the letter begun.
func (s *session) Reset() { s.from, s.to = "", nil }

// Logout ends the connection.
func (s *session) Logout() error { return nil }

//go:embed page.html
var pageText string

var page = webpage.Parse(pageText, template.FuncMap{"linked": linked})

var address = regexp.MustCompile(`https?://[^\s<>"]+`)

// linked writes a letter's text as HTML in which addresses can be followed.
func linked(text string) template.HTML {
	var out strings.Builder
	end := 0
	for _, at := range address.FindAllStringIndex(text, -1) {
		link := template.HTMLEscapeString(text[at[0]:at[1]])
		out.WriteString(template.HTMLEscapeString(text[end:at[0]]) + `<a href="` + link + `">` + link + "</a>")
		end = at[1]
	}
	out.WriteString(template.HTMLEscapeString(text[end:]))
	return template.HTML(out.String()) // all of it is escaped above
}

func (s *Sink) showPage(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'")
	w.Header().Set("Cache-Control", "no-store")
	if err := page.Execute(w, s.Letters()); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
	}
}

func (s *Sink) showLetters(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	letters := s.Letters()
	if letters == nil {
		letters = []Letter{}
	}
	if err := json.NewEncoder(w).Encode(letters); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
	}
}
