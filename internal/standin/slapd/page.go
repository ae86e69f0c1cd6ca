package slapd

import (
	"context"
	_ "embed"
	"errors"
	"html/template"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"arbora.example/internal/standin/webpage"
)

// Page shows who is in a directory, and lets anybody put people in and take them out.
type Page struct {
	Address string // http://HOST:PORT
	http    *http.Server
	of      *Server
}

//go:embed page.html
var pageText string

var page = webpage.Parse(pageText, nil)

// ServePage answers at an address until it is closed.
func ServePage(listen string, of *Server) (*Page, error) {
	listener, err := net.Listen("tcp", listen)
	if err != nil {
		return nil, err
	}
	p := &Page{Address: "http://" + listener.Addr().String(), of: of}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", p.show)
	mux.HandleFunc("POST /leave", p.then(func(r *http.Request) error { return of.Leave(r.FormValue("uid")) }))
	mux.HandleFunc("POST /come", p.then(func(r *http.Request) error {
		return of.Come(r.FormValue("uid"), r.FormValue("name"), r.FormValue("department"))
	}))
	p.http = &http.Server{ReadHeaderTimeout: time.Second, Handler: http.NewCrossOriginProtection().Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Host != strings.TrimPrefix(p.Address, "http://") { // no name leads a browser here that another page has made up
			http.Error(w, "Open this page by its address: "+p.Address, http.StatusMisdirectedRequest)
			return
		}
		mux.ServeHTTP(w, r)
	}))}
	go p.http.Serve(listener)
	return p, nil
}

// Close ends it.
func (p *Page) Close() error {
	ending, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	return p.http.Shutdown(ending)
}

// entry is a person or group as the page shows it.
type entry struct {
	Name, Title, About string
	Members            []string
}

func (p *Page) show(w http.ResponseWriter, r *http.Request) {
	var shown struct {
		Address, Reader, Password, People, GroupsBase, Fault string
		Persons, Groups                                      []entry
	}
	shown.Address, shown.Reader, shown.Password, shown.People, shown.GroupsBase, shown.Fault = p.of.Address, Reader, Password, People, Groups, r.FormValue("fault")
	err := p.of.Change(func(conn *ldap.Conn) error {
		people, err := conn.Search(&ldap.SearchRequest{BaseDN: People, Scope: ldap.ScopeSingleLevel, Filter: "(uid=*)"})
		if err != nil {
			return err
		}
		for _, e := range people.Entries {
			shown.Persons = append(shown.Persons, entry{Name: e.GetAttributeValue("uid"), Title: e.GetAttributeValue("cn"), About: e.GetAttributeValue("departmentNumber")})
		}
		groups, err := conn.Search(&ldap.SearchRequest{BaseDN: Groups, Scope: ldap.ScopeSingleLevel, Filter: "(cn=*)"})
		if err != nil {
			return err
		}
		for _, e := range groups.Entries {
			g := entry{Name: e.GetAttributeValue("cn")}
			for _, member := range e.GetAttributeValues("member") {
				first, _, _ := strings.Cut(member, ",")
				_, name, _ := strings.Cut(first, "=")
				g.Members = append(g.Members, name)
			}
			shown.Groups = append(shown.Groups, g)
		}
		return nil
	})
	if err == nil {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		err = page.Execute(w, shown)
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
	}
}

// then does something and shows the page again.
func (p *Page) then(do func(*http.Request) error) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		at := "/"
		if err := do(r); err != nil {
			at = "/?fault=" + template.URLQueryEscaper(err.Error())
		}
		http.Redirect(w, r, at, http.StatusSeeOther)
	}
}

// Come puts somebody into the directory.
func (s *Server) Come(uid, name, department string) error {
	if uid == "" || name == "" {
		return errors.New("a name to sign in by and a display name are needed")
	}
	parts := strings.Fields(name)
	add := ldap.NewAddRequest("uid="+ldap.EscapeDN(uid)+","+People, nil)
	add.Attribute("objectClass", []string{"inetOrgPerson"})
	add.Attribute("uid", []string{uid})
	add.Attribute("cn", []string{name})
	add.Attribute("sn", []string{parts[len(parts)-1]})
	add.Attribute("mail", []string{uid + "@lindenmere.example"})
	if department != "" {
		add.Attribute("departmentNumber", []string{department})
	}
	return s.Change(func(conn *ldap.Conn) error { return conn.Add(add) })
}
