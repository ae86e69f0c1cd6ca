// The catalogue, which a keeper alone can change: it is fetched once for as long as somebody works in an organisation.
import { api, ask, type Schemas } from "./api";
import { session } from "./session.svelte";
import { viewing } from "./viewing.svelte";

let kept: { by: string; catalogue: Promise<Schemas["Catalogue"]> } | undefined;

export function catalogueOf(organisation: string): Promise<Schemas["Catalogue"]> {
  const by = `${session.me?.name} ${viewing.as} ${organisation}`;
  if (kept?.by !== by) {
    const catalogue = ask(api.GET("/organisations/{organisation}/catalogue", { params: { path: { organisation } } }));
    kept = { by, catalogue };
    catalogue.catch(() => (kept = undefined)); // it is asked for again
  }
  return kept.catalogue;
}
