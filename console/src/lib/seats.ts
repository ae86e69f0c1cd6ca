// The organisations that know whoever is signed in, and the way from one to another.
import { push } from "svelte-spa-router";
import { api, ask, type Schemas } from "./api";
import { session } from "./session.svelte";
import { tree } from "./tree.svelte";

export async function seats(): Promise<Schemas["Seat"][]> {
  return (await ask(api.GET("/profile/organisations"))).seats;
}

// workIn has the session work in another organisation from now on.
export async function workIn(organisation: string): Promise<void> {
  session.begin(await ask(api.PUT("/session/organisation", { body: { organisation } })));
  tree.clear();
  await push("/");
}
