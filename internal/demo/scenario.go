// Package demo holds the demo scenario, the Lindenmere Botanic Trust and its partner, and the tour through its story.
package demo

// Passphrase is what everybody in the demo signs in with. The demo is made-up data on loopback.
const Passphrase = "seven-herons-by-the-pond"

// Keeper is the keeper of the demo's installation.
const Keeper = "warden"

type scope struct {
	address, kind, title, description string
	tags                              map[string]string
}

type person struct {
	name, title, does string
}

type group struct {
	name, title string
	users       []string
	groups      []string
}

type grant struct {
	role, kind, name, at, why string
}

const (
	lindenmere = "lindenmere"
	quaywater  = "quaywater"
)

var people = []person{
	{"maeve", "Maeve Corrigan", "Second steward"},
	{"tomas", "Tomas Lindqvist", "Glasshouse engineer"},
	{"ines", "Ines Carvalho", "Seed curator"},
	{"piotr", "Piotr Zawada", "Herbarium digitiser"},
	{"yuki", "Yuki Tanabe", "Network engineer"},
	{"sefa", "Sefa Tuilagi", "Visitor apps"},
	{"oona", "Oona Brannigan", "Internal audit"},
}

// bram comes in the story.
var bram = person{"bram", "Bram de Wolff", "New starter"}

var groups = []group{
	{name: "platform-team", title: "Platform team", users: []string{"rowan"}},
	{name: "vault-keepers", title: "Vault keepers", users: []string{"maeve"}},
	{name: "glasshouse-engineers", title: "Glasshouse engineers", users: []string{"tomas"}},
	{name: "seed-curators", title: "Seed curators", users: []string{"ines"}},
	{name: "herbarium-digitisers", title: "Herbarium digitisers", users: []string{"piotr"}},
	{name: "network-team", title: "Network team", users: []string{"yuki"}},
	{name: "visitor-apps", title: "Visitor apps", users: []string{"sefa"}},
	{name: "internal-audit", title: "Internal audit", users: []string{"oona"}},
	{name: "contractors", title: "Contractors"},
	{name: "vault-emergency", title: "Vault emergency"},
	{name: "curators", title: "Curators", groups: []string{"seed-curators", "herbarium-digitisers"}},
}

// tree is what there is before the story; lastTouches come in it.
var tree = []scope{
	{address: "lindenmere/gardens", kind: "folder", title: "Gardens"},
	{address: "lindenmere/gardens/glasshouses", kind: "folder", title: "Glasshouses", description: "Everything under glass and what keeps it warm."},
	{address: "lindenmere/gardens/glasshouses/alpine-house", kind: "project", title: "Alpine house", tags: map[string]string{"climate": "cool"}},
	{address: "lindenmere/gardens/glasshouses/alpine-house/vent-controller.machine", title: "Vent controller"},
	{address: "lindenmere/gardens/glasshouses/alpine-house/house-lan.network", title: "House network"},
	{address: "lindenmere/gardens/glasshouses/alpine-house/sensor-log.bucket", title: "Sensor log"},
	{address: "lindenmere/gardens/glasshouses/palm-house", kind: "project", title: "Palm house", tags: map[string]string{"climate": "tropical"}},
	{address: "lindenmere/gardens/glasshouses/palm-house/mist-controller.machine", title: "Mist controller"},
	{address: "lindenmere/gardens/glasshouses/palm-house/house-lan.network", title: "House network"},
	{address: "lindenmere/science", kind: "folder", title: "Science"},
	{address: "lindenmere/science/seedbank", kind: "folder", title: "Seed bank"},
	{address: "lindenmere/science/seedbank/seedbank-trial", kind: "project", title: "Germination trials"},
	{address: "lindenmere/science/seedbank/seedbank-trial/germination.database", title: "Germination records"},
	{address: "lindenmere/science/seedbank/seedbank-trial/trial-scans.bucket", title: "Scans of trial trays"},
	{address: "lindenmere/science/seedbank/seedbank-vault", kind: "project", title: "Seed vault", description: "What must never be lost. Keep access narrow.", tags: map[string]string{"care": "high"}},
	{address: "lindenmere/science/seedbank/seedbank-vault/accessions.database", title: "Accessions"},
	{address: "lindenmere/science/seedbank/seedbank-vault/vault-scans.bucket", title: "Scans of accessions"},
	{address: "lindenmere/science/seedbank/seedbank-vault/vault-lan.network", title: "Vault network"},
	{address: "lindenmere/science/herbarium", kind: "project", title: "Herbarium"},
	{address: "lindenmere/science/herbarium/digitising", kind: "compartment", title: "Digitising"},
	{address: "lindenmere/science/herbarium/digitising/scans.bucket", title: "Herbarium sheet scans"},
	{address: "lindenmere/science/herbarium/digitising/label-reader.machine", title: "Label reader"},
	{address: "lindenmere/science/herbarium/digitising/digitising-lan.network", title: "Digitising network"},
	{address: "lindenmere/visitors", kind: "folder", title: "Visitors"},
	{address: "lindenmere/visitors/ticketing", kind: "project", title: "Ticketing"},
	{address: "lindenmere/visitors/ticketing/till.machine", title: "Till"},
	{address: "lindenmere/visitors/ticketing/sales.database", title: "Sales"},
	{address: "lindenmere/visitors/ticketing/staff-desk.app", title: "Staff desk"},
	{address: "lindenmere/visitors/trail-guide", kind: "project", title: "Trail guide"},
	{address: "lindenmere/visitors/trail-guide/guide-media.bucket", title: "Guide media"},
	{address: "lindenmere/visitors/trail-guide/guide.app", title: "Trail guide"},
	{address: "lindenmere/shared-services", kind: "compartment", title: "Shared services"},
	{address: "lindenmere/shared-services/core.network", title: "Core network"},
	{address: "lindenmere/shared-services/audit-archive.bucket", title: "Audit archive"},
}

var lastTouches = []scope{
	{address: "lindenmere/gardens/grounds", kind: "folder", title: "Grounds"},
	{address: "lindenmere/gardens/grounds/irrigation", kind: "project", title: "Irrigation"},
	{address: "lindenmere/gardens/grounds/irrigation/pump-scheduler.machine", title: "Pump scheduler"},
	{address: "lindenmere/gardens/grounds/irrigation/valve-map.database", title: "Valve map"},
	{address: "lindenmere/science/herbarium/loans", kind: "compartment", title: "Loans"},
	{address: "lindenmere/science/herbarium/loans/loan-ledger.database", title: "Loan ledger"},
}

// firstGrants are all there is before the story, beside rowan's own.
var firstGrants = []grant{
	{"steward", "user", "maeve", lindenmere, "second steward"},
	{"auditor", "group", "internal-audit", lindenmere, "internal audit reads everything"},
	{"operator", "group", "platform-team", "lindenmere/shared-services", "keeps shared services running"},
}

// storyGrants are what the story leaves behind.
var storyGrants = []grant{
	{"builder", "group", "glasshouse-engineers", "lindenmere/gardens/glasshouses", "they run every glasshouse"},
	{"observer", "user", "bram", "lindenmere/gardens/glasshouses/alpine-house/sensor-log.bucket", "reads the log's settings while he learns"},
	{"builder", "group", "glasshouse-engineers", "lindenmere/gardens/grounds/irrigation", "the pumps are theirs too"},
	{"builder", "group", "seed-curators", "lindenmere/science/seedbank/seedbank-trial", "they build freely in the trials"},
	{"steward", "user", "ines", "lindenmere/science/seedbank/seedbank-trial", "grants in the trials herself"},
	{"storage-observer", "group", "seed-curators", "lindenmere/science/seedbank/seedbank-vault", "sees the vault's buckets"},
	{"content-reader", "group", "seed-curators", "lindenmere/science/seedbank/seedbank-vault/vault-scans.bucket", "reads scans of accessions"},
	{"content-keeper", "group", "vault-keepers", "lindenmere/science/seedbank/seedbank-vault", "the only ones who erase there"},
	{"builder", "group", "herbarium-digitisers", "lindenmere/science/herbarium/digitising", "they run the digitising line"},
	{"content-reader", "user", "piotr", "lindenmere/science/herbarium/digitising/scans.bucket", "checks the scans"},
	{"observer", "group", "curators", "lindenmere/science/herbarium", "curators look things up"},
	{"networking-builder", "group", "network-team", "lindenmere/shared-services", "networks there, nothing else"},
	{"builder", "group", "visitor-apps", "lindenmere/visitors", "ticketing and trail guide"},
	{"observer", "group", "contractors", "lindenmere/visitors/ticketing", "looks at the till while they repair it"},
	{"content-reader", "service-account", "lindenmere/science/herbarium/digitising/label-indexer", "lindenmere/science/herbarium/digitising/scans.bucket", "reads the labels on the scans"},
	{"compute-observer", "service-account", "lindenmere/science/herbarium/digitising/label-indexer", "lindenmere/science/herbarium/digitising", "looks at the machines it runs on"},
	{"content-reader", "set", "public", "lindenmere/visitors/trail-guide/guide-media.bucket", "visitors open the guide without an account"},
	{"content-writer", "group", "visitor-apps", "lindenmere/visitors/trail-guide/guide-media.bucket", "they publish the guide"},
	{"record-writer", "group", "visitor-apps", "lindenmere/visitors/ticketing", "they keep the sales"},
	{"app-visitor", "set", "staff", "lindenmere/visitors/ticketing/staff-desk.app", "all staff look at the desk's page"},
	{"machine-visitor", "group", "glasshouse-engineers", "lindenmere/gardens/glasshouses/alpine-house", "they repair the vents on the machine itself"},
	{"traffic-watcher", "group", "network-team", "lindenmere/shared-services", "they look for what is slow"},
	{"lab-writer", "group", "herbarium-digitisers", "lindenmere/science/herbarium/digitising", "they keep notebooks there"},
}

type policy struct {
	name, at, why, text string
}

// storyPolicies are what the story leaves behind besides.
var storyPolicies = []policy{
	{"networks", "lindenmere/science/herbarium", "the network team looks after one compartment's networks", `under digitising:
    network-team may observe, operate, modify networking
    service labs may observe, attach network
    service labs may create, start, stop machine
`},
	{"vault-care", "lindenmere/science", "what is in the vault outlives us all", `# Whatever else is granted, only the keepers take anything out of the vault for good.
under seedbank/seedbank-vault:
    everyone except vault-keepers may never destroy anything
`},
	{"outside-help", "lindenmere/visitors", "helpers look and touch nothing", "contractors may only observe anything\n"},
	{"digitising-hours", "lindenmere/science/herbarium", "the scanners work in the north wing", `under digitising/scans.bucket:
    herbarium-digitisers may list, fetch, put object if context.location is "north"
    user rowan may observe data of storage until 2027-03-31  # while the move to new shelves lasts
`},
}
