package main

import (
	"encoding/binary"
	"fmt"
	"math/rand/v2"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// size says how large the organisation is.
type size struct {
	resources, containers, depth, users, groups, rules, topRules int
}

// full is the size that the limits are set for.
var full = size{resources: 1_000_000, containers: 20_000, depth: 12, users: 100_000, groups: 10_000, rules: 50_000, topRules: 200}

func (s size) times(scale float64) size {
	n := func(count int) int { return max(int(float64(count)*scale), 10) }
	return size{
		resources: n(s.resources), containers: n(s.containers), depth: s.depth, users: n(s.users), groups: n(s.groups),
		rules: n(s.rules), topRules: min(s.topRules, n(s.rules)/4),
	}
}

// organisation is a made-up one: the changes that make it, and what there is to ask about.
type organisation struct {
	changes    []access.Change
	containers []model.Scope
	resources  []model.Scope
	users      []access.Principal
	folder     model.ID   // with a tenth of the full number of resources beneath, whatever the scale
	elsewhere  model.ID   // where the folder can be moved
	shelves    []model.ID // with shelfSize resources each
	random     *rand.Rand
	sequence   uint64
}

// There are some shelves of so many resources.
const (
	shelves   = 40
	shelfSize = 200
)

// folderResources is how many resources the folder to be moved has beneath.
const folderResources = 100_000

var types = []string{"bucket", "machine", "network", "database"}

// generate makes an organisation from a seed.
func generate(s size, seed uint64) *organisation {
	o := &organisation{random: rand.New(rand.NewPCG(seed, 1))}
	o.makeTree(s)
	o.makePeople(s)
	o.makeRules(s)
	o.makeShelves()
	return o
}

// id returns an id as UUIDv7 orders them: by age, then random.
func (o *organisation) id() model.ID {
	var id model.ID
	o.sequence++
	binary.BigEndian.PutUint64(id[:8], o.sequence<<16)
	binary.BigEndian.PutUint64(id[8:], o.random.Uint64())
	id[6], id[8] = 0x70|id[6]&0x0f, 0x80|id[8]&0x3f
	return id
}

func (o *organisation) add(change access.Change) { o.changes = append(o.changes, change) }

func (o *organisation) scope(parent model.ID, kind model.Kind, name, typeName string) model.Scope {
	scope := model.Scope{ID: o.id(), Parent: parent, Kind: kind, Name: name, Type: typeName}
	o.add(access.CreateScope{Scope: scope})
	if kind == model.Resource {
		o.resources = append(o.resources, scope)
	} else {
		o.containers = append(o.containers, scope)
	}
	return scope
}

// makeShelves makes projects that hold as many resources as a page of the tree has.
func (o *organisation) makeShelves() {
	for i := range shelves {
		shelf := o.scope(o.elsewhere, model.Project, fmt.Sprint("shelf", i), "")
		o.shelves = append(o.shelves, shelf.ID)
		for j := range shelfSize {
			o.scope(shelf.ID, model.Resource, fmt.Sprint("r", j), types[j%len(types)])
		}
	}
}

// makeTree lays folders in folders and compartments in projects; resources sit in projects and compartments.
func (o *organisation) makeTree(s size) {
	top := o.scope(model.ID{}, model.Organisation, "lindenmere", "")
	one := o.scope(top.ID, model.Folder, "east", "")
	two := o.scope(top.ID, model.Folder, "west", "")
	folder := o.scope(one.ID, model.Folder, "arboretum", "")
	o.folder, o.elsewhere = folder.ID, two.ID
	level := map[model.ID]int{top.ID: 1, one.ID: 2, two.ID: 2, folder.ID: 3}
	open := []model.Scope{top, one, two}
	beneath := []model.Scope{folder}
	var homes, folderHomes []model.Scope
	inFolder := max(min(2000, s.containers/2), 10)
	for len(o.containers) < s.containers {
		group := &open
		if len(o.containers) < inFolder {
			group = &beneath
		}
		parent := (*group)[o.random.IntN(len(*group))]
		kind := model.Folder
		if parent.Kind == model.Project || parent.Kind == model.Compartment {
			kind = model.Compartment
		} else if o.random.IntN(3) > 0 {
			kind = model.Project
		}
		made := o.scope(parent.ID, kind, fmt.Sprint("c", len(o.containers)), "")
		level[made.ID] = level[parent.ID] + 1
		if level[made.ID] < s.depth {
			*group = append(*group, made)
		}
		if kind != model.Folder && group == &beneath {
			folderHomes = append(folderHomes, made)
		} else if kind != model.Folder {
			homes = append(homes, made)
		}
	}
	for i := range s.resources {
		among := homes
		if i < min(folderResources, s.resources*9/10) {
			among = folderHomes
		}
		home := among[o.random.IntN(len(among))]
		o.scope(home.ID, model.Resource, fmt.Sprint("r", i), types[o.random.IntN(len(types))])
	}
}

// makePeople puts every user into about ten groups, and groups into groups, up to four deep.
func (o *organisation) makePeople(s size) {
	groups := make([]access.Principal, s.groups)
	for i := range groups {
		groups[i] = access.Principal{ID: o.id(), Kind: model.Group, Name: fmt.Sprint("g", i)}
		o.add(access.CreatePrincipal{Principal: groups[i]})
	}
	for range s.users {
		user := access.Principal{ID: o.id(), Kind: model.User, Name: fmt.Sprint("u", len(o.users)), Tags: map[string]string{"team": fmt.Sprint("t", o.random.IntN(50))}}
		o.users = append(o.users, user)
		o.add(access.CreatePrincipal{Principal: user})
	}
	// The first quarter of the groups may hold others, each layer only those of the next: no circle, four deep.
	layer := max(s.groups/40, 1)
	seen := map[access.Membership]bool{}
	join := func(member, group model.ID) {
		if m := (access.Membership{Group: group, Member: member}); !seen[m] && member != group {
			seen[m] = true
			o.add(access.AddMember{Membership: m})
		}
	}
	for depth := range 3 {
		for i := range layer * 3 {
			outer := groups[(depth*layer + i%layer)]
			inner := groups[(depth+1)*layer+o.random.IntN(layer)]
			join(inner.ID, outer.ID)
		}
	}
	for _, user := range o.users {
		for range 10 {
			join(user.ID, groups[layer+o.random.IntN(s.groups-layer)].ID)
		}
	}
}

// makeRules grants most rules to groups and some to users; one in twenty cuts, one in ten hangs on a condition.
func (o *organisation) makeRules(s size) {
	steward := access.Grant{ID: o.id(), Scope: o.containers[0].ID, Principal: o.users[0].ID, Role: "steward"}
	o.add(access.CreateGrant{Grant: steward})
	var groups []model.ID
	for _, change := range o.changes {
		if c, ok := change.(access.CreatePrincipal); ok && c.Principal.Kind == model.Group {
			groups = append(groups, c.Principal.ID)
		}
	}
	roles := []string{"observer", "operator", "storage-builder", "compute-operator", "networking-builder", "content-reader", "databases-observer", "builder"}
	condition, err := statement.ParseCondition(`context.location is "north" or resource.tag.team is "seeds"`)
	if err != nil {
		panic(err) // it is written above
	}
	made := map[[2]model.ID]bool{}
	for i := range s.rules {
		place := o.containers[0]
		if i >= s.topRules {
			place = o.containers[o.random.IntN(len(o.containers))]
		}
		who := groups[o.random.IntN(len(groups))]
		if o.random.IntN(10) == 0 {
			who = o.users[1+o.random.IntN(len(o.users)-1)].ID
		}
		kind := o.random.IntN(20)
		switch {
		case kind == 0:
			o.cut(place, who)
		case made[[2]model.ID{place.ID, who}]:
		default:
			made[[2]model.ID{place.ID, who}] = true
			g := access.Grant{ID: o.id(), Scope: place.ID, Principal: who, Role: roles[o.random.IntN(len(roles))]}
			if kind <= 2 {
				g.Condition = condition
			}
			o.add(access.CreateGrant{Grant: g})
		}
	}
}

// cut writes a policy with one statement that cuts or caps.
func (o *organisation) cut(place model.Scope, who model.ID) {
	st := statement.Statement{Place: place.ID, Who: []statement.Subject{{Principal: who}}, Modal: statement.MayNever, Acts: []string{"destroy"}}
	if o.random.IntN(4) == 0 {
		st.Modal, st.Acts = statement.MayOnly, []string{"observe"}
	}
	id := o.id()
	o.add(access.PutPolicy{Policy: statement.Policy{ID: id, Scope: place.ID, Name: fmt.Sprint("p", o.sequence), Statements: []statement.Statement{st}}})
}
