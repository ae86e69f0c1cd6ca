package access

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"maps"
	"slices"
	"time"

	"arbora.example/access/catalogue"
	"arbora.example/access/internal/persist"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/english"
)

// A snapshot file holds one snapshot, so that it is read in a fraction of the time that it takes to make it from its changes. What
// there may be millions of lies in columns, numbers as little-endian words of 32 bits, in the order of the tables; rules are in the
// form of [EncodeChanges] and compiled anew. The file ends with the CRC-32C (Castagnoli; RFC 3385) of all before it: it tells a torn
// file, not one that somebody has made up, for the file is only to be read from where nobody else can write.
//
//	mark      fileMark, with the version of the form
//	u64       revision
//	rules     length; the changes that make roles and policies
//	words     names of the types that scopes have, by their numbers in the file
//	words     names of the platform services, in the order of their principals
//	scopes    containers, then resources: count; ids; parents; types; flags; lengths of names; names
//	more      of scopes that have something beside: number; children; tags; services offered
//	words     names that the organisation had before
//	people    count; of each its parts, its groups and members, and all that names it
//	grants    count; of each its parts
const fileMark = "arbora snapshot 4\n"

// ErrNoSnapshotFile is returned by [catalogue.Catalogue.ReadSnapshot] for bytes that are not a whole snapshot file of a form that is known.
var ErrNoSnapshotFile = errors.New("not a whole snapshot file of a form that is known")

// WriteFile writes the snapshot in the form that [catalogue.Catalogue.ReadSnapshot] reads. The error is the writer's.
func (s *Snapshot) WriteFile(to io.Writer) error {
	rules, err := EncodeChanges(slices.Concat(s.roleChanges(), s.policyChanges()))
	if err != nil {
		return err
	}
	sum := crc32.New(castagnoli)
	w := &fileWriter{to: bufio.NewWriterSize(io.MultiWriter(to, sum), 1<<20), sum: sum}
	w.text(fileMark)
	w.long(s.revision)
	w.number(number(len(rules)))
	w.bytes(rules)
	names := make([]string, len(s.catalogue.Types()))
	for i, t := range s.catalogue.Types() {
		names[i] = t.Name
	}
	w.words(names)
	w.words(s.catalogue.PlatformServices())
	w.table(&s.scopes.containers)
	w.table(&s.scopes.resources)
	w.more(s)
	w.words(s.formerly)
	w.people(s)
	w.grants(s)
	return w.end(to)
}

// fileWriter writes the parts of a snapshot file; the first error is kept by the writer beneath.
type fileWriter struct {
	to    *bufio.Writer
	sum   hash.Hash32
	small [8]byte
}

func (w *fileWriter) text(text string)  { w.to.WriteString(text) }
func (w *fileWriter) bytes(text []byte) { w.to.Write(text) }

func (w *fileWriter) number(n number) {
	binary.LittleEndian.PutUint32(w.small[:4], uint32(n))
	w.to.Write(w.small[:4])
}

func (w *fileWriter) long(n uint64) {
	binary.LittleEndian.PutUint64(w.small[:], n)
	w.to.Write(w.small[:])
}

func (w *fileWriter) word(text string) {
	w.number(number(len(text)))
	w.text(text)
}

func (w *fileWriter) words(list []string) {
	w.number(number(len(list)))
	for _, text := range list {
		w.word(text)
	}
}

func (w *fileWriter) numbers(list []number) {
	w.number(number(len(list)))
	for _, n := range list {
		w.number(n)
	}
}

func (w *fileWriter) siblings(list *persist.Siblings) {
	w.number(number(list.Len()))
	for n := range list.All {
		w.number(n)
	}
}

// tags writes keys and values in order, so that equal snapshots make equal files.
func (w *fileWriter) tags(tags map[string]string) {
	w.number(number(len(tags)))
	for _, key := range slices.Sorted(maps.Keys(tags)) {
		w.word(key)
		w.word(tags[key])
	}
}

// end writes what is left, and the checksum behind it.
func (w *fileWriter) end(to io.Writer) error {
	if err := w.to.Flush(); err != nil {
		return err
	}
	_, err := to.Write(w.sum.Sum(nil))
	return err
}

const retiredFlag = 1

func (w *fileWriter) table(t *persist.Table[scopeNode]) {
	all := func(fn func(*scopeNode)) {
		for n := range number(t.Len()) {
			fn(t.Get(n))
		}
	}
	w.number(number(t.Len()))
	all(func(n *scopeNode) { w.bytes(n.id[:]) })
	all(func(n *scopeNode) { w.number(n.parent) })
	all(func(n *scopeNode) { w.number(number(n.typ)) })
	all(func(n *scopeNode) {
		var flags byte
		if n.retired {
			flags |= retiredFlag
		}
		w.to.WriteByte(flags)
	})
	total := 0
	all(func(n *scopeNode) { w.to.WriteByte(byte(len(n.name))); total += len(n.name) })
	w.number(number(total))
	all(func(n *scopeNode) { w.text(n.name) })
}

func (w *fileWriter) more(s *Snapshot) {
	has := func(more *scopeMore) bool {
		return more != nil && (more.containers.Len()+more.resources.Len()+len(more.tags) > 0 || more.offered != nil)
	}
	count := number(0)
	s.scopes.each(func(n number) bool {
		if has(s.scopes.get(n).more) {
			count++
		}
		return true
	})
	w.number(count)
	s.scopes.each(func(n number) bool {
		more := s.scopes.get(n).more
		if !has(more) {
			return true
		}
		w.number(n)
		w.siblings(more.containers)
		w.siblings(more.resources)
		w.numbers(more.bearing)
		w.tags(more.tags)
		if more.offered == nil {
			w.to.WriteByte(0)
		} else {
			w.to.WriteByte(1)
			w.words(more.offered)
		}
		return true
	})
}

const (
	inactiveFlag = 1 << iota
	patternFlag
	ownFlag
)

func (w *fileWriter) people(s *Snapshot) {
	w.number(number(s.principals.Len()))
	for n := range number(s.principals.Len()) {
		p := s.principals.Get(n)
		w.bytes(p.ID[:])
		w.bytes(p.Home[:])
		w.bytes(p.Owner[:])
		var flags byte
		if p.Inactive {
			flags |= inactiveFlag
		}
		if p.Pattern {
			flags |= patternFlag
		}
		if p.Own {
			flags |= ownFlag
		}
		w.bytes([]byte{byte(p.Kind), flags})
		w.word(p.Name)
		w.tags(p.Tags)
		w.word(p.Gathers.String())
		if p.Kind == model.OutsidePerson || p.Kind == model.OutsideGroup {
			w.bytes(p.Provider[:])
			w.word(p.Subject)
			w.claims(p.Claims)
		}
		w.numbers(p.groups)
		w.numbers(p.members)
		w.numbers(p.all())
		w.numbers(p.resting)
	}
	for kind := range s.named {
		w.siblings(s.named[kind])
	}
	w.siblings(s.subjects)
}

// claims writes claims in order; none told and none there are different things.
func (w *fileWriter) claims(claims map[string][]string) {
	if claims == nil {
		w.to.WriteByte(0)
		return
	}
	w.to.WriteByte(1)
	w.number(number(len(claims)))
	for _, name := range slices.Sorted(maps.Keys(claims)) {
		w.word(name)
		w.words(claims[name])
	}
}

func (w *fileWriter) grants(s *Snapshot) {
	nodes := s.grantNodes()
	w.number(number(len(nodes)))
	for _, g := range nodes {
		w.bytes(g.ID[:])
		w.bytes(g.Scope[:])
		w.bytes(g.Principal[:])
		w.word(g.Role)
		w.word(g.Condition.String())
		w.moment(g.From)
		w.moment(g.Until)
	}
}

// moment writes a moment to the nanosecond; the zero one as no bytes.
func (w *fileWriter) moment(t time.Time) {
	if t.IsZero() {
		w.to.WriteByte(0)
		return
	}
	w.to.WriteByte(1)
	w.long(uint64(t.Unix()))
	w.number(number(t.Nanosecond()))
}

// ReadSnapshot reads what [Snapshot.WriteFile] wrote. It keeps no part of the bytes. The error is [ErrNoSnapshotFile] for what is
// torn or foreign; another says what of the file the catalogue does not have, and that the snapshot is to be made from its records.
func ReadSnapshot(c *catalogue.Catalogue, file []byte) (s *Snapshot, err error) {
	if len(file) < len(fileMark)+crc32.Size || string(file[:len(fileMark)]) != fileMark {
		return nil, ErrNoSnapshotFile
	}
	body, sum := file[:len(file)-crc32.Size], file[len(file)-crc32.Size:]
	if crc32.Checksum(body, castagnoli) != binary.BigEndian.Uint32(sum) {
		return nil, ErrNoSnapshotFile
	}
	r := &fileReader{rest: body[len(fileMark):]}
	s, err = r.snapshot(c)
	if r.broken {
		return nil, ErrNoSnapshotFile
	}
	return s, err
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

func (r *fileReader) snapshot(c *catalogue.Catalogue) (*Snapshot, error) {
	d := &draft{Snapshot: *New(c), owner: new(persist.Owner)}
	d.revision = r.long()
	// The rules are read beside the tables: each takes about half the time.
	type read struct {
		changes []Change
		err     error
	}
	rules := make(chan read, 1)
	go func(text []byte) {
		changes, err := DecodeChanges(text)
		rules <- read{changes, err}
	}(r.take(int(r.number())))
	types, err := c.TypesNamed(r.words())
	if err != nil {
		return nil, err
	}
	if services := r.words(); !slices.Equal(services, c.PlatformServices()) {
		return nil, fmt.Errorf("the snapshot file knows the platform services %s, the catalogue %s", english.Join(services), english.Join(c.PlatformServices()))
	}
	r.table(d, &d.scopes.containers, types)
	r.table(d, &d.scopes.resources, types)
	for range d.scopes.containers.Len() {
		d.scopes.ancestries.Append(d.owner)
	}
	r.more(d)
	d.formerly = r.words()
	if err := r.people(d); err != nil {
		return nil, err
	}
	d.indexScopes()
	d.indexPrincipals()
	if r.broken {
		return nil, ErrNoSnapshotFile
	}
	made := <-rules
	if made.err != nil {
		return nil, made.err
	}
	at := slices.IndexFunc(made.changes, func(c Change) bool { _, is := c.(PutPolicy); return is })
	if at < 0 {
		at = len(made.changes)
	}
	if err := d.applyAll(made.changes[:at]); err != nil { // roles, which grants name
		return nil, err
	}
	if err := r.grants(d); err != nil {
		return nil, err
	}
	if err := d.applyAll(made.changes[at:]); err != nil {
		return nil, err
	}
	if d.scopes.containers.Len() > 0 {
		d.markAncestry(0)
	}
	d.refresh()
	return &d.Snapshot, nil
}

func (d *draft) applyAll(changes []Change) error {
	for _, change := range changes {
		if err := change.apply(d); err != nil {
			return err
		}
	}
	return nil
}

// fileReader reads the parts of a snapshot file. What is beyond its end reads as nothing, and breaks it.
type fileReader struct {
	rest   []byte
	broken bool
}

func (r *fileReader) take(n int) []byte {
	if n < 0 || n > len(r.rest) {
		r.broken, r.rest = true, nil
		return nil
	}
	taken := r.rest[:n:n]
	r.rest = r.rest[n:]
	return taken
}

func (r *fileReader) number() number {
	if len(r.rest) < 4 {
		r.broken, r.rest = true, nil
		return 0
	}
	n := binary.LittleEndian.Uint32(r.rest)
	r.rest = r.rest[4:]
	return number(n)
}

func (r *fileReader) long() uint64 {
	if text := r.take(8); text != nil {
		return binary.LittleEndian.Uint64(text)
	}
	return 0
}

func (r *fileReader) byte() byte {
	if text := r.take(1); text != nil {
		return text[0]
	}
	return 0
}

func (r *fileReader) id() (id model.ID) {
	copy(id[:], r.take(len(id)))
	return id
}

func (r *fileReader) word() string { return string(r.take(int(r.number()))) }

// count reads how many things come of which each takes some bytes at least.
func (r *fileReader) count(each int) int {
	n := int(r.number())
	if n > len(r.rest)/each {
		r.broken, r.rest = true, nil
		return 0
	}
	return n
}

func (r *fileReader) words() []string {
	n := r.count(4)
	if n == 0 {
		return nil
	}
	list := make([]string, n)
	for i := range list {
		list[i] = r.word()
	}
	return list
}

func (r *fileReader) numbers() []number {
	n := r.count(4)
	if n == 0 {
		return nil
	}
	list := make([]number, n)
	for i := range list {
		list[i] = number(binary.LittleEndian.Uint32(r.rest[4*i:]))
	}
	r.rest = r.rest[4*n:]
	return list
}

// siblings reads a list in the order of names.
func (r *fileReader) siblings(by *persist.Owner) *persist.Siblings {
	return persist.NewSiblings(by, r.numbers())
}

func (r *fileReader) tags() map[string]string {
	n := r.count(8)
	if n == 0 {
		return nil
	}
	tags := make(map[string]string, n)
	for range n {
		key := r.word()
		tags[key] = r.word()
	}
	return tags
}

func (r *fileReader) table(d *draft, t *persist.Table[scopeNode], types []uint16) {
	n := r.count(len(model.ID{}) + 4 + 4 + 1 + 1)
	ids, parents, kinds, flags, lengths := r.take(n*len(model.ID{})), r.take(4*n), r.take(4*n), r.take(n), r.take(n)
	names := string(r.take(int(r.number()))) // one text of which all names are parts
	if r.broken {
		return
	}
	for i := range n {
		node := t.Append(d.owner)
		node.id = model.ID(ids[i*len(model.ID{}):])
		node.parent = number(binary.LittleEndian.Uint32(parents[4*i:]))
		node.typ = types[binary.LittleEndian.Uint32(kinds[4*i:])]
		node.retired = flags[i]&retiredFlag != 0
		node.name, names = names[:lengths[i]], names[lengths[i]:]
	}
}

func (r *fileReader) more(d *draft) {
	for range r.count(4) {
		more := d.editMore(r.number())
		more.containers, more.resources = r.siblings(d.owner), r.siblings(d.owner)
		more.bearing, more.tags = r.numbers(), r.tags()
		if r.byte() != 0 {
			if more.offered = r.words(); more.offered == nil {
				more.offered = []string{}
			}
			d.narrowed++
		}
	}
}

func (r *fileReader) people(d *draft) error {
	d.principals, d.principalIndex, d.gathering = persist.Table[principalNode]{}, persist.IDIndex{}, nil
	for range r.count(3 * len(model.ID{})) {
		n := number(d.principals.Len())
		node := d.principals.Append(d.owner)
		node.owner, node.number = d.owner, n
		node.ID, node.Home, node.Owner = r.id(), r.id(), r.id()
		node.Kind = model.PrincipalKind(r.byte())
		flags := r.byte()
		node.Inactive, node.Pattern, node.Own = flags&inactiveFlag != 0, flags&patternFlag != 0, flags&ownFlag != 0
		node.Name, node.Tags = r.word(), r.tags()
		node.key = nameKey(node.Name, node.Home)
		if text := r.word(); text != "" {
			condition, err := statement.ParseGathering(text)
			if err != nil {
				return fmt.Errorf("group %s: %w", node.Name, err)
			}
			node.Gathers, d.gathering = condition, append(d.gathering, n)
		}
		if node.Kind == model.OutsidePerson || node.Kind == model.OutsideGroup {
			node.Provider, node.Subject, node.Claims = r.id(), r.word(), r.claims()
		}
		node.groups, node.members = r.numbers(), r.numbers()
		node.takeAll(r.numbers(), r.numbers())
	}
	for kind := range d.named {
		d.named[kind] = r.siblings(d.owner)
	}
	d.subjects = r.siblings(d.owner)
	return nil
}

func (r *fileReader) claims() map[string][]string {
	if r.byte() == 0 {
		return nil
	}
	claims := map[string][]string{}
	for range r.count(8) {
		name := r.word()
		claims[name] = r.words()
	}
	return claims
}

func (r *fileReader) grants(d *draft) error {
	for range r.count(3 * len(model.ID{})) {
		g := Grant{ID: r.id(), Scope: r.id(), Principal: r.id(), Role: r.word()}
		if text := r.word(); text != "" {
			g.Condition = new(statement.Condition)
			if err := g.Condition.UnmarshalText([]byte(text)); err != nil {
				return fmt.Errorf("condition of grant %s: %w", g.ID, err)
			}
		}
		g.From, g.Until = r.moment(), r.moment()
		if r.broken {
			return ErrNoSnapshotFile
		}
		if err := (CreateGrant{Grant: g, Recorded: true}).apply(d); err != nil {
			return err
		}
	}
	return nil
}

func (r *fileReader) moment() time.Time {
	if r.byte() == 0 {
		return time.Time{}
	}
	seconds := int64(r.long())
	return time.Unix(seconds, int64(r.number())).UTC()
}

// takeAll takes all numbers, sorted, and those that rest, as [principalNode.setAll] has worked them out.
func (p *principalNode) takeAll(all, resting []number) {
	p.count, p.resting = len(all), resting
	if copy(p.near[:], all) < len(all) {
		p.far = all
	}
	for _, n := range all {
		mark := markOf(n)
		p.marks[mark>>6] |= 1 << (mark & 63)
	}
}

func (d *draft) indexScopes() {
	index := persist.NewIDIndex(d.owner, d.scopes.len())
	d.scopes.each(func(n number) bool {
		node := d.scopes.get(n)
		index.Add(node.id, n, homeOf(n, node.parent))
		return true
	})
	d.scopeIndex = index.Done()
}

func (d *draft) indexPrincipals() {
	index := persist.NewIDIndex(d.owner, d.principals.Len())
	for n := range number(d.principals.Len()) {
		index.Add(d.principals.Get(n).ID, n, persist.Homeless)
	}
	d.principalIndex = index.Done()
}
