// What a scope's page shows first, asked for all at once.
import { api, ask, type Grant, type Schemas, type Scope } from "./api";
import { grants } from "./directory";

export type ScopeQueries = { scope: Promise<Scope>; contents: Promise<Schemas["Contents"]>; grants: Promise<Grant[]> };

export function askScope(address: string): ScopeQueries {
  const at = { params: { path: { scope: address } } };
  return { scope: ask(api.GET("/scopes/{scope}", at)), contents: ask(api.GET("/scopes/{scope}/contents", at)), grants: askGrants(address) };
}

export const askGrants = grants;
