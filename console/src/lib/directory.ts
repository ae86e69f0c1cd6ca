// Names to choose from: users, guests, groups and roles.
import { api, ask, type Role, type Schemas } from "./api";

// all reads a list to its end, page by page.
async function all<T>(read: (after: string | undefined) => Promise<{ items: T[]; next?: string }>): Promise<T[]> {
  const found: T[] = [];
  let after: string | undefined;
  do {
    const page = await read(after);
    found.push(...page.items);
    after = page.next;
  } while (after);
  return found;
}

const at = (organisation: string, after: string | undefined) => ({ params: { path: { organisation }, query: { after, limit: 500 } } });

export function users(organisation: string): Promise<Schemas["User"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/organisations/{organisation}/users", at(organisation, after)));
    return { items: page.users, next: page.next };
  });
}

export function guests(organisation: string): Promise<Schemas["User"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/organisations/{organisation}/guests", at(organisation, after)));
    return { items: page.users, next: page.next };
  });
}

export function groups(organisation: string): Promise<Schemas["Group"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/organisations/{organisation}/groups", at(organisation, after)));
    return { items: page.groups, next: page.next };
  });
}

// roles lists the roles that mean something at a scope, or all there are.
export async function roles(scope: string, all = false): Promise<Role[]> {
  return (await ask(api.GET("/scopes/{scope}/roles", { params: { path: { scope }, query: { all } } }))).roles;
}
