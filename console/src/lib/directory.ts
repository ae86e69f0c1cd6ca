// Names to choose from: users, groups and roles.
import { api, ask, type Role, type Schemas } from "./api";

export async function users(organisation: string): Promise<Schemas["User"][]> {
  const all: Schemas["User"][] = [];
  let after: string | undefined;
  do {
    const page = await ask(api.GET("/organisations/{organisation}/users", { params: { path: { organisation }, query: { after, limit: 500 } } }));
    all.push(...page.users);
    after = page.next;
  } while (after);
  return all;
}

export async function guests(organisation: string): Promise<Schemas["User"][]> {
  const all: Schemas["User"][] = [];
  let after: string | undefined;
  do {
    const page = await ask(api.GET("/organisations/{organisation}/guests", { params: { path: { organisation }, query: { after, limit: 500 } } }));
    all.push(...page.users);
    after = page.next;
  } while (after);
  return all;
}

export async function groups(organisation: string): Promise<Schemas["Group"][]> {
  const all: Schemas["Group"][] = [];
  let after: string | undefined;
  do {
    const page = await ask(api.GET("/organisations/{organisation}/groups", { params: { path: { organisation }, query: { after, limit: 500 } } }));
    all.push(...page.groups);
    after = page.next;
  } while (after);
  return all;
}

export async function roles(scope: string): Promise<Role[]> {
  return (await ask(api.GET("/scopes/{scope}/roles", { params: { path: { scope } } }))).roles;
}
