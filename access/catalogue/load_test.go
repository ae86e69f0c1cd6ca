package catalogue

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestBadServiceFiles registers service files that are wrong, each in one way, and reads what is said of it and where.
func TestBadServiceFiles(t *testing.T) {
	for _, c := range []struct{ file, says string }{
		{`{"service": "weather"`, "line 1, column 22: the file ends too early"},
		{"{\n  \"service\" \"weather\"}", `line 2, column 13: this is not JSON`},
		{`[]`, "line 1, column 2: "},
		{`{"service": "weather"} {}`, "line 1, column 25: there is text after the end of the service"},
		{"{\"service\": \"weather\",\n \"tpyes\": []}", `line 2, column 11: there is no field "tpyes" (did you mean types?)`},
		{`{"service": 5}`, "line 1, column 14: service must be a text, not number"},
		{`{"service": "Weather"}`, `line 1, column 13: "Weather" is not a valid name`},
		{`{"service": "until"}`, `"until" cannot be a service: it is a word of the statement language`},
		{`{"service": "weather"}`, "service weather has no title"},
		{`{"service": "weather", "title": "Weather"}`, "service weather has no types"},
		{`{"service": "storage", "title": "Storage"}`, "service storage is there already"},
		{station(`"parents": ["projects"], "control": {"observe": ["list"]}`), `there is no type "projects" (did you mean project?)`},
		{station(`"control": {"observe": ["list"]}`), "type station has no parents"},
		{station(`"parents": ["project"]`), "line 3, column 3: type station has no operations"},
		{station(`"parents": ["project"], "control": {"observe": ["bucket"]}`), `"bucket" cannot be an operation: it is a type already`},
		{station(`"parents": ["project"], "control": {"look": ["list"]}`), `there is no class "look"`},
		{station(`"parents": ["project"], "control": {"observe": ["list"]}, "data": {"modify": ["list"]}`), `type station has operation "list" twice`},
		{station(`"parents": ["project"], "control": {"modify": ["create"]}, "needs": {"creat": ["attach network"]}`), `type station has no operation "creat"`},
		{station(`"parents": ["project"], "control": {"modify": ["create"]}, "needs": {"create": ["atach network"]}`), `network has no operation "atach"`},
		{strings.Replace(station(`"parents": ["project"], "control": {"observe": ["list"]}`), "station", "bucket", 1), "type bucket is there already"},
		{`{"service": "weather", "title": "Weather", "types": [{"type": "weather"}]}`, `"weather" cannot be a type: it is a service already`},
		{strings.Replace(station(`"parents": ["project"], "control": {"observe": ["list"]}`), `"types"`, `"roles": [{"role": "steward", "include": [{}]}], "types"`, 1), "role steward is there twice"},
		{strings.Replace(station(`"parents": ["project"], "control": {"observe": ["list"]}`), `"types"`, `"roles": [{"role": "watcher", "include": [{"types": ["staton"]}]}], "types"`, 1), `there is no type "staton" (did you mean station?)`},
	} {
		t.Run(c.file, func(t *testing.T) {
			_, err := Shipped().With([]byte(c.file))
			var at *FileError
			require.ErrorAs(t, err, &at, c.file)
			require.ErrorContains(t, err, c.says, c.file)
		})
	}
	for general, says := range map[string]string{
		`[{"role": "all", "include": [{}]}, {"role": "all", "include": [{}]}]`:     "role all is there twice",
		`[{"role": "none", "include": [{"types": ["project"]}], "exclude": [{}]}]`: "role none holds no permission",
		`[{"role": "Bad Name", "include": [{}]}]`:                                  `"Bad Name" is not a valid name`,
		`[{"role": "all", "include": [{"planes": ["astral"]}]}]`:                   `there is no plane "astral"`,
	} {
		t.Run(general, func(t *testing.T) {
			_, err := load([]byte(general), 0, [][]byte{[]byte(onlyTree)})
			require.ErrorContains(t, err, says)
		})
	}
}

const onlyTree = `{"service": "tree", "title": "Tree", "types": [{"type": "project", "parents": [], "control": {"observe": ["list"]}}]}`

// station is a service with one type.
func station(rest string) string {
	return "{\"service\": \"weather\", \"title\": \"Weather\",\n \"types\": [\n  {\"type\": \"station\", " + rest + "}]}"
}

// TestAServiceIsAFile adds a service that nobody knew: its types, its four roles and its own roles are there.
func TestAServiceIsAFile(t *testing.T) {
	c, err := load([]byte(`[{"role": "all", "include": [{"planes": ["control"]}]}]`), 0, [][]byte{[]byte(onlyTree),
		[]byte(`{"service": "weather", "title": "Weather", "types": [
			{"type": "station", "parents": ["project"], "control": {"observe": ["list"], "operate": ["start"], "modify": ["create"]}, "data": {"observe": ["read"]}},
			{"type": "sensor", "parents": ["station"], "control": {"observe": ["list"]}},
			{"type": "note", "parents": ["resource"], "unregistered": true, "control": {"observe": ["list"]}}],
			"roles": [{"role": "weather-reader", "include": [{"planes": ["data"]}]}]}`)})
	require.NoError(t, err)
	for role, permissions := range map[string]int{
		"weather-steward": 5, "weather-builder": 5, "weather-operator": 4, "weather-observer": 3, "weather-reader": 1, "all": 6,
	} {
		t.Run(role, func(t *testing.T) {
			r, err := c.Role(role)
			require.NoError(t, err)
			require.Equal(t, permissions, r.Permissions.Len(), role)
			require.False(t, r.Privileged)
		})
	}
	meaning := func(at, permission string) bool { return c.MeaningAt(at).Has(c.MustPermission(permission)) }
	require.True(t, meaning("project", "list sensor"))
	require.True(t, meaning("station", "list sensor"))
	require.False(t, meaning("sensor", "list station"))
	require.True(t, meaning("sensor", "list note"), "a note belongs in any resource")
	require.False(t, meaning("sensor", "list project"))
	placeable := c.Placeable("station")
	require.Len(t, placeable, 1)
	require.Equal(t, "sensor", placeable[0].Name)
	require.Nil(t, c.Placeable("nothing"))
}

func TestSets(t *testing.T) {
	var a, b Set
	for _, p := range []Permission{0, 63, 64, 200} {
		a.Add(p)
	}
	b.Add(63)
	require.Equal(t, 4, a.Len())
	var all []Permission
	for p := range a.All {
		all = append(all, p)
	}
	require.Equal(t, []Permission{0, 63, 64, 200}, all)
	for p := range a.All {
		require.Zero(t, p)
		break
	}
	require.True(t, a.Meets(b))
	require.False(t, b.Minus(a).Meets(a))
	require.Equal(t, 3, a.Minus(b).Len())
	require.Equal(t, 1, a.And(b).Len())
	require.False(t, Set(nil).Has(5))
	var c Set
	c.AddAll(a)
	c.AddAll(b)
	require.Equal(t, a, c)
}

// TestTheExampleOfTheDocsIsRight reads the file that docs/services.md shows.
func TestTheExampleOfTheDocsIsRight(t *testing.T) {
	page, err := os.ReadFile("../../docs/services.md")
	require.NoError(t, err)
	_, rest, found := strings.Cut(string(page), "```json\n")
	require.True(t, found)
	file, _, _ := strings.Cut(rest, "```")
	c, err := Shipped().With([]byte(file))
	require.NoError(t, err)
	role, err := c.Role("forecaster")
	require.NoError(t, err)
	require.True(t, role.Permissions.Has(c.MustPermission("fetch reading")))
	require.False(t, role.Permissions.Has(c.MustPermission("start station")))
	_, err = c.Role("weather-observer")
	require.NoError(t, err)
}
