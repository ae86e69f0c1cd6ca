package identity

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
)

// Push tells another service of all people and groups, by SCIM 2.0 (RFC 7644): who is new there is created, who has left is suspended. It tells how
// many there were.
func (p *Provider) Push(ctx context.Context, address, token string) (told string, err error) {
	there := scimService{address: strings.TrimSuffix(address, "/"), token: token}
	ids, groups := map[string]string{}, map[string][]string{}
	for _, person := range p.people.all() {
		body := map[string]any{
			"schemas": []string{"urn:ietf:params:scim:schemas:core:2.0:User"}, "externalId": person.Subject(), "userName": textOf(person["preferred_username"]), "displayName": person.Name(), "active": true,
		}
		if mail := textOf(person["email"]); mail != "" {
			body["emails"] = []any{map[string]any{"value": mail, "primary": true}}
		}
		id, err := there.put(ctx, "/Users", "externalId", person.Subject(), body)
		if err != nil {
			return "", fmt.Errorf("%s: %w", person.Name(), err)
		}
		ids[person.Subject()] = id
		list, _ := person["groups"].([]any)
		for _, group := range list {
			groups[textOf(group)] = append(groups[textOf(group)], id)
		}
	}
	left, err := there.leave(ctx, ids)
	if err != nil {
		return "", err
	}
	for _, name := range slices.Sorted(maps.Keys(groups)) {
		members := []any{}
		for _, id := range groups[name] {
			members = append(members, map[string]any{"value": id})
		}
		body := map[string]any{"schemas": []string{"urn:ietf:params:scim:schemas:core:2.0:Group"}, "displayName": name, "members": members}
		if _, err := there.put(ctx, "/Groups", "displayName", name, body); err != nil {
			return "", fmt.Errorf("group %s: %w", name, err)
		}
	}
	if err := there.dissolve(ctx, groups); err != nil {
		return "", err
	}
	return fmt.Sprintf("Pushed: %d people, %d groups. Suspended, since they have left: %d.", len(ids), len(groups), left), nil
}

// scimService is a service that is told of people and groups.
type scimService struct{ address, token string }

// pushing bounds each request.
var pushing = &http.Client{Timeout: 20 * time.Second}

// resource is what is read of an answer.
type resource struct {
	ID         string `json:"id"`
	ExternalID string `json:"externalId"`
	Name       string `json:"displayName"`
	Active     bool   `json:"active"`
	Detail     string `json:"detail"`
	Resources  []resource
}

func (s scimService) send(ctx context.Context, method, path string, body any) (answer resource, err error) {
	text, err := json.Marshal(body)
	if err != nil {
		return answer, err
	}
	r, err := http.NewRequestWithContext(ctx, method, s.address+path, bytes.NewReader(text))
	if err != nil {
		return answer, err
	}
	r.Header.Set("Authorization", "Bearer "+s.token)
	r.Header.Set("Content-Type", "application/scim+json")
	got, err := pushing.Do(r)
	if err != nil {
		return answer, err
	}
	defer func() { err = errors.Join(err, got.Body.Close()) }()
	if got.StatusCode == http.StatusNoContent {
		return answer, nil
	}
	if err := json.NewDecoder(http.MaxBytesReader(nil, got.Body, 4<<20)).Decode(&answer); err != nil {
		return answer, fmt.Errorf("%s %s answers %s: %w", method, path, got.Status, err)
	}
	if got.StatusCode >= http.StatusBadRequest {
		return answer, errors.New(answer.Detail)
	}
	return answer, nil
}

// put creates what is not found by an attribute, and replaces what is. It returns the id it has there.
func (s scimService) put(ctx context.Context, path, by, value string, body any) (id string, err error) {
	filter := url.Values{"filter": {fmt.Sprintf("%s eq %q", by, value)}}
	found, err := s.send(ctx, http.MethodGet, path+"?"+filter.Encode(), nil)
	if err != nil {
		return "", err
	}
	method := http.MethodPost
	if len(found.Resources) > 0 {
		method, path = http.MethodPut, path+"/"+found.Resources[0].ID
	}
	made, err := s.send(ctx, method, path, body)
	return made.ID, err
}

// leave suspends those there who are known no more, and counts them.
func (s scimService) leave(ctx context.Context, known map[string]string) (left int, err error) {
	all, err := s.send(ctx, http.MethodGet, "/Users?count=500", nil)
	if err != nil {
		return 0, err
	}
	for _, one := range all.Resources {
		if _, here := known[one.ExternalID]; here || !one.Active {
			continue
		}
		body := map[string]any{"schemas": []string{"urn:ietf:params:scim:api:messages:2.0:PatchOp"}, "Operations": []any{map[string]any{"op": "replace", "path": "active", "value": false}}}
		if _, err := s.send(ctx, http.MethodPatch, "/Users/"+one.ID, body); err != nil {
			return left, err
		}
		left++
	}
	return left, nil
}

// dissolve removes the groups there that nobody is in any more.
func (s scimService) dissolve(ctx context.Context, known map[string][]string) error {
	all, err := s.send(ctx, http.MethodGet, "/Groups?count=500&excludedAttributes=members", nil)
	if err != nil {
		return err
	}
	for _, one := range all.Resources {
		if _, here := known[one.Name]; here {
			continue
		}
		if _, err := s.send(ctx, http.MethodDelete, "/Groups/"+one.ID, nil); err != nil {
			return err
		}
	}
	return nil
}

// push tells the service that the page names.
func (p *Provider) push(w http.ResponseWriter, r *http.Request) {
	if origin := r.Header.Get("Origin"); origin != "" && origin != p.issuer {
		http.Error(w, "Use the page.", http.StatusForbidden)
		return
	}
	at, err := url.Parse(r.FormValue("address"))
	told, fault := "", "The address is that of a service on this machine, such as http://localhost:8420/scim/lindenmere/quaywater-sso/v2."
	if err == nil && (at.Hostname() == "localhost" || at.Hostname() == "127.0.0.1") {
		fault = ""
		if told, err = p.Push(r.Context(), r.FormValue("address"), r.FormValue("token")); err != nil {
			fault = err.Error()
		}
	}
	http.Redirect(w, r, "/?"+url.Values{"fault": {fault}, "told": {told}}.Encode(), http.StatusSeeOther)
}
