// What the statements of a policy may name, as the service tells it.
import type { Schemas } from "./api";
import { catalogueOf } from "./catalogue";
import { groups, guests, providers, roles, serviceAccounts, users } from "./directory";
import type { Vocabulary } from "./language";
import { tree } from "./tree.svelte";

export type Parts = Schemas["StatementParts"];

// vocabulary fetches the names for a policy at a scope; what is not to be listed stays empty.
export async function vocabulary(organisation: string, at: string): Promise<Vocabulary> {
  const got = <T>(asked: PromiseSettledResult<T[]>) => (asked.status === "fulfilled" ? asked.value : []);
  const [g, u, o, a, r, c, p] = await Promise.allSettled([
    groups(organisation), users(organisation), guests(organisation),
    serviceAccounts(organisation),
    roles(at),
    catalogueOf(organisation).then((list) => list.services),
    providers(organisation),
  ]);
  const services = got(c);
  const types = services.flatMap((s) => s.types);
  return {
    groups: got(g).map((x) => x.name), users: [...got(u), ...got(o)].map((x) => x.name),
    accounts: got(a).map((x) => (x.address.startsWith(at + "/") ? x.address.slice(at.length + 1) : "/" + x.address)),
    providers: got(p).map((x) => x.name),
    roles: got(r).map((x) => x.name), services: services.map((s) => s.name), types: types.map((t) => t.name),
    operations: [...new Set(types.flatMap((t) => t.operations.map((op) => op.operation)))].sort(),
    places: tree.nodes.filter((n) => n.address.startsWith(at + "/")).map((n) => n.address.slice(at.length + 1)),
  };
}
