package scim

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	library "github.com/elimity-com/scim"
	"github.com/elimity-com/scim/optional"
	"github.com/elimity-com/scim/schema"
	"github.com/stretchr/testify/require"
)

// patching is a resource type that keeps what is patched, without any service.
type patching struct {
	of  attributes
	err error
}

func (p *patching) Create(*http.Request, library.ResourceAttributes) (library.Resource, error) {
	return library.Resource{}, nil
}
func (p *patching) Get(*http.Request, string) (library.Resource, error) {
	return library.Resource{}, nil
}
func (p *patching) GetAll(*http.Request, library.ListRequestParams) (library.Page, error) {
	return library.Page{}, nil
}
func (p *patching) Replace(*http.Request, string, library.ResourceAttributes) (library.Resource, error) {
	return library.Resource{}, nil
}
func (p *patching) Delete(*http.Request, string) error { return nil }
func (p *patching) Patch(_ *http.Request, _ string, operations []library.PatchOperation) (library.Resource, error) {
	for _, o := range operations {
		if p.err = patch(p.of, o, userSchemas); p.err != nil {
			return library.Resource{}, p.err
		}
	}
	return library.Resource{}, nil
}

// apply has a user be patched as the library reads the operations.
func apply(t testing.TB, of, operations string) (attributes, int) {
	p := &patching{}
	require.NoError(t, json.Unmarshal([]byte(of), &p.of))
	schema.SetAllowStringValues(true)
	server, err := library.NewServer(&library.ServerArgs{ServiceProviderConfig: &library.ServiceProviderConfig{SupportPatch: true}, ResourceTypes: []library.ResourceType{{
		ID: optional.NewString("User"), Name: "User", Endpoint: "/Users", Schema: userSchemas[0], SchemaExtensions: []library.SchemaExtension{{Schema: userSchemas[1]}}, Handler: p,
	}}})
	require.NoError(t, err)
	w := httptest.NewRecorder()
	server.ServeHTTP(w, httptest.NewRequest("PATCH", "/Users/1", strings.NewReader(`{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":`+operations+`}`)))
	return p.of, w.Code
}

func TestPatch(t *testing.T) {
	const enterprise = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
	for _, test := range []struct{ name, of, operations, is string }{
		{"add a value", `{}`, `[{"op":"add","path":"nickName","value":"Il"}]`, `{"nickName":"Il"}`},
		{"a name in another case", `{}`, `[{"op":"add","path":"NICKNAME","value":"Il"}]`, `{"nickName":"Il"}`},
		{"add without a path", `{"title":"a"}`, `[{"op":"add","value":{"title":"b","nickName":"c"}}]`, `{"title":"b","nickName":"c"}`},
		{"replace a part", `{"name":{"givenName":"a","familyName":"b"}}`, `[{"op":"replace","path":"name.givenName","value":"c"}]`, `{"name":{"givenName":"c","familyName":"b"}}`},
		{"add parts", `{"name":{"givenName":"a"}}`, `[{"op":"add","path":"name","value":{"familyName":"b"}}]`, `{"name":{"givenName":"a","familyName":"b"}}`},
		{"replace a complex value whole", `{"name":{"givenName":"a"}}`, `[{"op":"replace","path":"name","value":{"familyName":"b"}}]`, `{"name":{"familyName":"b"}}`},
		{"a part of what is not there", `{}`, `[{"op":"replace","path":"name.givenName","value":"c"}]`, `{"name":{"givenName":"c"}}`},
		{"remove", `{"title":"a","nickName":"b"}`, `[{"op":"remove","path":"title"}]`, `{"nickName":"b"}`},
		{"remove what is not there", `{}`, `[{"op":"remove","path":"title"}]`, `{}`},
		{"add to a list", `{"emails":[{"value":"a","type":"work","primary":true}]}`, `[{"op":"add","path":"emails","value":[{"value":"b","type":"home","primary":true}]}]`, `{"emails":[{"value":"a","type":"work"},{"value":"b","type":"home","primary":true}]}`},
		{"add to a list what is in it", `{"emails":[{"value":"a","type":"work"}]}`, `[{"op":"add","path":"emails","value":[{"value":"a","type":"work"}]}]`, `{"emails":[{"value":"a","type":"work"}]}`},
		{"replace a list", `{"emails":[{"value":"a"}]}`, `[{"op":"replace","path":"emails","value":[{"value":"b"}]}]`, `{"emails":[{"value":"b"}]}`},
		{"a part of some values", `{"emails":[{"value":"a","type":"work"},{"value":"b","type":"home"}]}`, `[{"op":"replace","path":"emails[type eq \"home\"].value","value":"c"}]`, `{"emails":[{"value":"a","type":"work"},{"value":"c","type":"home"}]}`},
		{"some values", `{"emails":[{"value":"a","type":"work"},{"value":"b","type":"home"}]}`, `[{"op":"remove","path":"emails[type eq \"home\"]"}]`, `{"emails":[{"value":"a","type":"work"}]}`},
		{"add where none fits", `{}`, `[{"op":"add","path":"emails[type eq \"work\"].value","value":"c"}]`, `{"emails":[{"value":"c","type":"work"}]}`},
		{"an extension's attribute", `{}`, `[{"op":"add","path":"` + enterprise + `:department","value":"seeds"}]`, `{"` + enterprise + `":{"department":"seeds"}}`},
		{"an extension without a path", `{"` + enterprise + `":{"division":"x"}}`, `[{"op":"add","value":{"` + enterprise + `":{"department":"seeds"}}}]`, `{"` + enterprise + `":{"division":"x","department":"seeds"}}`},
		{"several", `{"title":"a"}`, `[{"op":"remove","path":"title"},{"op":"add","path":"title","value":"b"}]`, `{"title":"b"}`},
		{"a truth value as a text", `{}`, `[{"op":"Replace","path":"active","value":"False"}]`, `{"active":false}`},
	} {
		t.Run(test.name, func(t *testing.T) {
			is, status := apply(t, test.of, test.operations)
			require.Less(t, status, 300)
			text, err := json.Marshal(is)
			require.NoError(t, err)
			require.JSONEq(t, test.is, string(text))
		})
	}
	for name, operations := range map[string]string{
		"no values fit":        `[{"op":"replace","path":"emails[type eq \"work\"].value","value":"c"}]`,
		"remove all":           `[{"op":"remove"}]`,
		"an unknown attribute": `[{"op":"add","path":"nonsense","value":"c"}]`,
		"an unknown operation": `[{"op":"move","path":"title","value":"c"}]`,
		"a wrong type":         `[{"op":"add","path":"title","value":["c"]}]`,
		"what is read only":    `[{"op":"replace","path":"groups","value":[{"value":"x"}]}]`,
		"none":                 `[]`,
	} {
		t.Run(name, func(t *testing.T) {
			_, status := apply(t, `{}`, operations)
			require.Equal(t, http.StatusBadRequest, status)
		})
	}
}

// FuzzPatch has no operations, however written, do more than change the resource or be refused.
func FuzzPatch(f *testing.F) {
	f.Add(`{"emails":[{"value":"a","type":"work"}]}`, `[{"op":"add","path":"emails[type eq \"work\"].value","value":"c"}]`)
	f.Add(`{"name":{"givenName":"a"}}`, `[{"op":"replace","path":"name.givenName","value":"c"},{"op":"remove","path":"name"}]`)
	f.Add(`{}`, `[{"op":"add","value":{"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"department":"x"}}}]`)
	f.Add(`{"emails":[1,null,{"value":{}}]}`, `[{"op":"remove","path":"emails[value eq \"a\"]"},{"op":"add","path":"emails.value","value":"x"}]`)
	f.Fuzz(func(t *testing.T, of, operations string) {
		var object attributes
		if json.Unmarshal([]byte(of), &object) != nil || object == nil {
			t.Skip()
		}
		_, status := apply(t, of, operations)
		require.Contains(t, []int{http.StatusNoContent, http.StatusOK, http.StatusBadRequest}, status)
	})
}

// FuzzFilter has no filter, however written, do more than let a resource pass or not, or be refused; what is not let pass is let pass negated.
func FuzzFilter(f *testing.F) {
	for _, text := range []string{`userName eq "a"`, `emails[type eq "work" and value co "a"]`, `not (title pr) or name.givenName gt "x"`, `active eq true`, `meta.created lt "2026-01-01T00:00:00Z"`, `emails.value ew "x"`} {
		f.Add(text)
	}
	of := attributes{
		"userName": "Ilka", "active": true, "name": attributes{"givenName": "a"}, "emails": []any{attributes{"value": "a@x", "type": "work"}, attributes{"value": "b@x"}, "odd"}, "title": nil,
	}
	f.Fuzz(func(t *testing.T, text string) {
		schemas := userSchemas
		e, err := readFilter(text, schemas)
		if err != nil || e == nil {
			t.Skip()
		}
		negated, err := readFilter("not ("+text+")", schemas)
		require.NoError(t, err)
		require.NotEqual(t, passes(of, e, schemas), passes(of, negated, schemas))
	})
}
