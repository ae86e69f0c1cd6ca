// Lists that a page needs whole, read page by page.
import { api, ask, type Grant, type Role, type Schemas } from "./api";
import type { Option } from "./choices";

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

function people(organisation: string, kind: "user" | "guest" | "outside-person"): Promise<Schemas["Person"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/organisations/{organisation}/people", { params: { path: { organisation }, query: { kind, after, limit: 500 } } }));
    return { items: page.people, next: page.next };
  });
}

export const users = (organisation: string) => people(organisation, "user");
export const guests = (organisation: string) => people(organisation, "guest");
export const outsidePeople = (organisation: string) => people(organisation, "outside-person");

export function providers(organisation: string): Promise<Schemas["Provider"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/organisations/{organisation}/providers", at(organisation, after)));
    return { items: page.providers, next: page.next };
  });
}

export function outsideGroups(organisation: string, provider?: string): Promise<Schemas["OutsideGroup"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/organisations/{organisation}/outside-groups", { params: { path: { organisation }, query: { provider, after, limit: 500 } } }));
    return { items: page.outsideGroups, next: page.next };
  });
}

export function groups(organisation: string): Promise<Schemas["Group"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/organisations/{organisation}/groups", at(organisation, after)));
    return { items: page.groups, next: page.next };
  });
}

const here = (scope: string, after: string | undefined) => ({ params: { path: { scope }, query: { after, limit: 500 } } });

// roles lists the roles that mean something at a scope, or all there are.
export function roles(scope: string, everywhere = false): Promise<Role[]> {
  return all(async (after) => {
    const page = await ask(api.GET("/scopes/{scope}/roles", { params: { path: { scope }, query: { all: everywhere, after, limit: 500 } } }));
    return { items: page.roles, next: page.next };
  });
}

// grants lists who holds which role at a scope, directly or from above.
export function grants(scope: string): Promise<Grant[]> {
  return all(async (after) => {
    const page = await ask(api.GET("/scopes/{scope}/grants", here(scope, after)));
    return { items: page.grants, next: page.next };
  });
}

// policies lists the policies that reach a scope.
export function policies(scope: string): Promise<Schemas["Policy"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/scopes/{scope}/policies", here(scope, after)));
    return { items: page.policies, next: page.next };
  });
}

// serviceAccounts lists the service accounts that live at a scope or beneath it.
export function serviceAccounts(scope: string): Promise<Schemas["Account"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/scopes/{scope}/service-accounts", here(scope, after)));
    return { items: page.accounts, next: page.next };
  });
}

export function organisations(): Promise<Schemas["Organisation"][]> {
  return all(async (after) => {
    const page = await ask(api.GET("/organisations", { params: { query: { after, limit: 500 } } }));
    return { items: page.organisations, next: page.next };
  });
}

// holders lists who may do something at a scope, and who could.
export async function holders(scope: string, permission: string): Promise<Schemas["HolderList"]> {
  let page = await ask(api.POST("/scopes/{scope}/holders", { ...here(scope, undefined), body: { permission } }));
  const whole = page;
  while (page.next) {
    page = await ask(api.POST("/scopes/{scope}/holders", { ...here(scope, page.next), body: { permission } }));
    whole.holders.push(...page.holders);
    whole.couldHold.push(...page.couldHold);
  }
  return whole;
}

// reach tells everything that a principal can do, and where.
export async function reach(organisation: string, kind: Schemas["PrincipalKind"], principal: string): Promise<Schemas["Reach"]> {
  const asked = (after: string | undefined) => ({ params: { path: { organisation, kind, principal }, query: { after, limit: 500 } } });
  let page = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/reach", asked(undefined)));
  const whole = page;
  while (page.next) {
    page = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/reach", asked(page.next)));
    whole.reached.push(...page.reached);
  }
  return whole;
}

// roleOptions offers roles by what they are for: found by purpose and by the words that people have for it.
export function roleOptions(roles: Role[]): Option[] {
  return roles.map((role) => ({ value: role.name, hint: `${role.planes.join(" and ")}: ${role.classes.join(", ")}`, note: role.description, words: role.meanings }));
}
