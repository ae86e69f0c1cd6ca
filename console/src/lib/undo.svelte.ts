// What this window did last and the service can undo: said until something else is done, or for a minute.
import { whenActed } from "./acts";
import { api, ask, asProblem, type Problem } from "./api";
import { session } from "./session.svelte";

const shownFor = 60_000; // milliseconds

class Undo {
  words = $state("");
  problem = $state.raw<Problem | null>(null);
  busy = $state(false);
  #made = { organisation: "", revision: "" };
  #after: () => unknown = () => {};
  #timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    whenActed(() => this.close());
  }

  // offer says what was done, by the change that led to a revision. The service works out what takes it back, and pages follow by
  // themselves as after any change made elsewhere; after is called besides.
  offer(words: string, revision: number, after: () => unknown = () => {}) {
    this.close();
    this.words = words;
    this.#made = { organisation: session.organisation, revision: String(revision) };
    this.#after = after;
    this.#timer = setTimeout(() => this.close(), shownFor);
  }

  async take() {
    this.busy = true;
    clearTimeout(this.#timer);
    try {
      await ask(api.POST("/organisations/{organisation}/changes/{revision}/undo", { params: { path: this.#made } }));
      await this.#after();
      this.close();
    } catch (caught) {
      this.problem = asProblem(caught);
    } finally {
      this.busy = false;
    }
  }

  close() {
    clearTimeout(this.#timer);
    this.words = "";
    this.problem = null;
  }
}

export const undo = new Undo();
