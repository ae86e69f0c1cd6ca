// The words that statements are made of, and what may stand where in one.
import { api, ask, type Schemas } from "./api";
import { catalogueOf } from "./catalogue";
import { groups, guests, roles, users } from "./directory";
import { tree } from "./tree.svelte";

export type Parts = Schemas["StatementParts"];

export const classes = ["observe", "operate", "modify", "destroy", "govern"];
export const sets = ["everyone", "staff", "guests", "signed-in", "public"];
const keywords = ["may", "never", "only", "except", "act", "as", "do", "anything", "if", "from", "until", "under", "at", "here", "data", "of", "to", "and", "or", "not", "is", "in", "with", "before", "after", "starts", "within"];
const subjects = [...sets, "people", "user", "service", "account"];

export const isKeyword = (word: string) => keywords.includes(word);
export const isSubject = (word: string) => subjects.includes(word);

// nameWord writes a name as a statement has it: one that is a word of the language stands in quotes.
export const nameWord = (name: string) => (isKeyword(name) || isSubject(name) ? `"${name}"` : name);

// Vocabulary is what can be named in the statements of a policy, as far as the signed-in person may list it.
export type Vocabulary = { groups: string[]; users: string[]; accounts: string[]; roles: string[]; services: string[]; types: string[]; operations: string[]; places: string[] };

// vocabulary fetches the names for a policy at a scope; what is not to be listed stays empty.
export async function vocabulary(organisation: string, at: string): Promise<Vocabulary> {
  const got = <T>(asked: PromiseSettledResult<T[]>) => (asked.status === "fulfilled" ? asked.value : []);
  const path = { params: { path: { scope: organisation } } };
  const [g, u, o, a, r, c] = await Promise.allSettled([
    groups(organisation), users(organisation), guests(organisation),
    ask(api.GET("/scopes/{scope}/service-accounts", path)).then((list) => list.accounts),
    roles(at),
    catalogueOf(organisation).then((list) => list.services),
  ]);
  const services = got(c);
  const types = services.flatMap((s) => s.types);
  return {
    groups: got(g).map((x) => x.name), users: [...got(u), ...got(o)].map((x) => x.name),
    accounts: got(a).map((x) => (x.address.startsWith(at + "/") ? x.address.slice(at.length + 1) : "/" + x.address)),
    roles: got(r).map((x) => x.name), services: services.map((s) => s.name), types: types.map((t) => t.name),
    operations: [...new Set(types.flatMap((t) => t.operations.map((op) => op.operation)))].sort(),
    places: tree.nodes.filter((n) => n.address.startsWith(at + "/")).map((n) => n.address.slice(at.length + 1)),
  };
}

// offered gives the words that may come next after what stands before the cursor on its line, and how much of it the word
// being written takes up.
export function offered(line: string, known: Vocabulary): { words: string[]; written: number } {
  const written = /[\p{L}\d_./@+-]*$/u.exec(line)?.[0].length ?? 0;
  const before = line.slice(0, line.length - written);
  const after = (pattern: RegExp) => pattern.test(before);
  const words = () => {
    if (after(/^\s*(under|at)\s+$/)) return ["here", ...known.places];
    if (after(/\bservice\s+account\s+$/)) return known.accounts;
    if (after(/\bservice\s+$/)) return ["account", ...known.services];
    if (after(/\buser\s+$/)) return known.users;
    if (after(/\bact\s+as\s+([\w-]+\s*,\s*)*$/)) return known.roles;
    if (after(/\b(if|and|or|not)\s+$/)) return ["request.hour", "request.weekday", "request.time", "request.ip", "request.location", "resource.name", "resource.type", "resource.tag.", "principal.name", "principal.kind", "principal.tag.", "claim.", "not"];
    if (after(/\bmay\s+(only\s+|never\s+)?$/)) return ["act as", "do anything", "never", "only", ...classes, ...known.operations];
    if (after(/\bmay\b/)) return [...known.types, ...known.services, ...classes, ...known.operations, "anything", "data of", "if", "from", "until"];
    if (after(/[^,\s]\s+$/)) return ["may", "may never", "may only", "except"];
    return [...known.groups, ...sets, "user", "service", "service account", "people from", ...(after(/^\s*$/) ? ["under", "at"] : [])];
  };
  return { words: words(), written };
}
