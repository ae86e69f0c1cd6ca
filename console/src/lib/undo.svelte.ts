// What was done last and can be undone by one press: said at the foot of the page until it is closed or something else is done.
import { asProblem, type Problem } from "./api";

class Undo {
  words = $state("");
  problem = $state.raw<Problem | null>(null);
  busy = $state(false);
  #back: () => Promise<void> = async () => {};

  // offer says what was done, and keeps what takes it back. Pages follow by themselves, as after any change made elsewhere.
  offer(words: string, back: () => Promise<void>) {
    this.words = words;
    this.problem = null;
    this.#back = back;
  }

  async take() {
    this.busy = true;
    try {
      await this.#back();
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
