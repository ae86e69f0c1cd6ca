package directory

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-ldap/ldap/v3"

	"arbora.example/access"
	"arbora.example/internal/outside"
)

// Content is what a directory holds.
type Content struct {
	Keys    map[string]bool     // of all people
	People  []outside.Person    // those who are new or changed since the last reading, or all
	Groups  map[string][]string // the keys of the people in each group, by the group's name; nil if nothing has changed since
	Faults  []Fault
	Mark    Mark // to begin the next reading by
	Touched int  // entries that were read whole
}

// Fault is an entry of which nothing can become.
type Fault struct{ Entry, Why string }

// Mark says how far a directory was read.
type Mark struct {
	Stamp  string `json:"stamp,omitempty"`  // of the youngest entry
	Digest string `json:"digest,omitempty"` // of the names, keys and stamps of all entries
}

// By which attribute a directory tells when an entry was changed (RFC 4512, section 3.4.4), and how it writes that.
const (
	stampOf  = "modifyTimestamp"
	stampFor = "20060102150405Z"
)

const (
	asked    = 100             // entries that are asked for at once by their keys
	settling = 2 * time.Second // in which an entry may be changed again under the same stamp
	longest  = 500             // bytes of a value that is kept
)

// reader reads a directory once.
type reader struct {
	from  Source
	s     Settings
	since Mark
	is    Content
	keys  map[string]string // by name
	named map[string]string // by what people are called
	fresh []string          // keys of those to be read whole
	sum   hash.Hash
}

// Read finds who is in a directory and its groups. Of one that was read before, up to a mark, it reads whole only what has changed since; known
// tells whose entries were read. Errors are worded for who administers it.
func Read(ctx context.Context, from Source, s Settings, since Mark, known func(key string) bool, now time.Time) (Content, error) {
	r := &reader{from: from, s: s, since: since, keys: map[string]string{}, named: map[string]string{}, sum: sha256.New()}
	r.is = Content{Keys: map[string]bool{}}
	if err := r.look(ctx, known); err != nil {
		return r.is, err
	}
	digest := hex.EncodeToString(r.sum.Sum(nil))
	if digest == since.Digest {
		r.is.Mark = since
		return r.is, nil
	}
	if err := r.people(ctx); err != nil {
		return r.is, err
	}
	if err := r.groups(ctx); err != nil {
		return r.is, err
	}
	if from.Live() {
		r.is.Mark.Digest = digest
		if at, err := time.Parse(stampFor, r.is.Mark.Stamp); err != nil || now.Sub(at) < settling {
			r.is.Mark.Digest = ""
		}
	}
	return r.is, nil
}

// look reads of each entry no more than tells who it is, and whether it has changed.
func (r *reader) look(ctx context.Context, known func(string) bool) error {
	attributes := []string{r.s.Key, stampOf}
	err := r.from.Each(ctx, r.s.People, attributes, func(e Entry) error {
		key := r.note(e)
		if key == "" {
			r.fault(e, "it has no "+r.s.Key+", by which it would be known again")
			return nil
		}
		if r.is.Keys[key] {
			return fmt.Errorf("two entries have the %s %s: it is not what people are known again by", r.s.Key, key)
		}
		r.is.Keys[key], r.keys[e.Name] = true, key
		if e.one(stampOf) == "" || e.one(stampOf) >= r.since.Stamp || !known(key) {
			r.fresh = append(r.fresh, key)
		}
		return nil
	})
	if err != nil || r.s.Groups.Base == "" {
		return err
	}
	return r.from.Each(ctx, r.s.Groups, attributes, func(e Entry) error {
		r.note(e)
		return nil
	})
}

// note adds an entry to the digest, and returns its key.
func (r *reader) note(e Entry) string {
	key, stamp := e.one(r.s.Key), e.one(stampOf)
	r.is.Mark.Stamp = max(r.is.Mark.Stamp, stamp)
	for _, part := range []string{e.Name, key, stamp} {
		fmt.Fprintf(r.sum, "%d:%s", len(part), part)
	}
	return key
}

func (r *reader) fault(e Entry, why string) { r.is.Faults = append(r.is.Faults, Fault{e.Name, why}) }

// people reads those who are new or changed; all, if they are many.
func (r *reader) people(ctx context.Context) error {
	if len(r.fresh)*4 > len(r.is.Keys) || !r.from.Live() {
		wanted := map[string]bool{}
		for _, key := range r.fresh {
			wanted[key] = true
		}
		return r.from.Each(ctx, r.s.People, r.s.attributesOf(), func(e Entry) error {
			if wanted[e.one(r.s.Key)] {
				r.person(e)
			}
			return nil
		})
	}
	for keys := range slices.Chunk(r.fresh, asked) {
		var either strings.Builder
		for _, key := range keys {
			either.WriteString("(" + r.s.Key + "=" + ldap.EscapeFilter(key) + ")")
		}
		search := Search{Base: r.s.People.Base, Filter: "(&" + r.s.People.Filter + "(|" + either.String() + "))"}
		err := r.from.Each(ctx, search, r.s.attributesOf(), func(e Entry) error {
			r.person(e)
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// person makes a person of an entry.
func (r *reader) person(e Entry) {
	r.is.Touched++
	said := map[string]any{}
	for _, name := range r.s.attributesOf() {
		if values := readable(e.all(name)); len(values) == 1 {
			said[name] = values[0]
		} else if len(values) > 1 {
			said[name] = values
		}
	}
	is, err := r.s.Map.Read(said)
	if err != nil {
		r.fault(e, err.Error())
		return
	}
	delete(is.Claims, r.s.Key)
	r.is.People = append(r.is.People, is)
}

// readable leaves out the values that are no text, or longer than what is kept.
func readable(values []string) []any {
	var texts []any
	for _, value := range values {
		if utf8.ValidString(value) && len(value) <= longest {
			texts = append(texts, value)
		}
	}
	return texts
}

// groups reads who is in which group, itself or by groups in it.
func (r *reader) groups(ctx context.Context) error {
	r.is.Groups = map[string][]string{}
	if r.s.Groups.Base == "" {
		return nil
	}
	if err := r.names(ctx); err != nil {
		return err
	}
	entries, called := map[string]Entry{}, map[string]string{} // groups by name; names of entries by what the groups are called
	err := r.from.Each(ctx, r.s.Groups, []string{"cn", r.s.MemberBy}, func(e Entry) error {
		name := e.one("cn")
		if err := access.CheckOutsideGroup(name); err != nil {
			r.fault(e, err.Error())
		} else if other, taken := called[name]; taken {
			r.fault(e, fmt.Sprintf("%s is called %s, too", other, name))
		} else {
			called[name] = e.Name
		}
		entries[e.Name] = e
		return nil
	})
	for name, entry := range called {
		in := map[string]bool{}
		r.gather(entries, entry, in, map[string]bool{})
		r.is.Groups[name] = []string{}
		for key := range in {
			r.is.Groups[name] = append(r.is.Groups[name], key)
		}
		slices.Sort(r.is.Groups[name])
	}
	return err
}

// names finds what people are called where groups name their members by that.
func (r *reader) names(ctx context.Context) error {
	if strings.EqualFold(r.s.MemberBy, "member") || strings.EqualFold(r.s.MemberBy, "uniqueMember") {
		return nil
	}
	return r.from.Each(ctx, r.s.People, []string{"uid", r.s.Key}, func(e Entry) error {
		for _, name := range e.all("uid") {
			r.named[strings.ToLower(name)] = e.one(r.s.Key)
		}
		return nil
	})
}

// gather adds the keys of those in a group, and in the groups in it. Groups may hold each other: each is looked at once.
func (r *reader) gather(entries map[string]Entry, group string, in, seen map[string]bool) {
	if seen[group] {
		return
	}
	seen[group] = true
	for _, value := range entries[group].all(r.s.MemberBy) {
		if key, ok := r.named[strings.ToLower(value)]; ok {
			in[key] = true
			continue
		}
		name := compared(value)
		if key, ok := r.keys[name]; ok {
			in[key] = true
		} else if _, ok := entries[name]; ok {
			r.gather(entries, name, in, seen)
		}
	}
}
