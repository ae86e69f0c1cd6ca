// What was done last and can be undone by one press: said at the foot of the page until it is closed or something else is done.
import { api, ask, asProblem, type Problem } from "./api";
import { session } from "./session.svelte";

class Undo {
  words = $state("");
  problem = $state.raw<Problem | null>(null);
  busy = $state(false);
  #made = { organisation: "", revision: "" };
  #after: () => unknown = () => {};

  // offer says what was done, by the change that led to a revision. The service works out what takes it back, and pages follow by
  // themselves as after any change made elsewhere; after is called besides.
  offer(words: string, revision: number, after: () => unknown = () => {}) {
    this.words = words;
    this.problem = null;
    this.#made = { organisation: session.organisation, revision: String(revision) };
    this.#after = after;
  }

  async take() {
    this.busy = true;
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
    this.words = "";
    this.problem = null;
  }
}

export const undo = new Undo();
