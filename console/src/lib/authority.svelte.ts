// What the signed-in person may do to the organisation as a whole, so that no page offers what would be refused.
import { api, ask } from "./api";
import { session } from "./session.svelte";
import { viewing } from "./viewing.svelte";

class Authority {
  #held = $state.raw<string[]>([]);
  #of = "";

  // may reports whether a permission is held at the organisation; false until that is known.
  may(permission: string): boolean {
    return this.#held.includes(permission);
  }

  async load() {
    const of = `${session.me?.name} ${session.organisation} ${viewing.as}`;
    if (of === this.#of) return;
    this.#of = of;
    this.#held = [];
    try {
      this.#held = (await ask(api.GET("/scopes/{scope}", { params: { path: { scope: session.organisation } } }))).may;
    } catch {
      this.#of = ""; // who sees nothing holds nothing; it is asked again on the next page
    }
  }
}

export const authority = new Authority();
