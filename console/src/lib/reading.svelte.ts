// What a part of a page reads by itself: at once, when what it asks about changes, and when the organisation does.
import { asProblem, type Problem } from "./api";
import { whenChanged } from "./live.svelte";

export class Reading<T> {
  value = $state.raw<T | null>(null); // null until it is there
  problem = $state.raw<Problem | null>(null);
  #ask: () => Promise<T>;

  // It is made while a component is made. What ask uses before it first waits is what it depends on.
  constructor(ask: () => Promise<T>) {
    this.#ask = ask;
    // Asked before the component is drawn, it is answered while that goes on.
    $effect.pre(() => {
      void this.again();
    });
    whenChanged(() => void this.again());
  }

  async again() {
    try {
      this.value = await this.#ask();
      this.problem = null;
    } catch (caught) {
      this.problem = asProblem(caught);
    }
  }

  // after does something about it and reads it again. What goes wrong stays told.
  async after(act: () => Promise<unknown>) {
    this.problem = null;
    try {
      await act();
    } catch (caught) {
      this.problem = asProblem(caught);
      return;
    }
    await this.again();
  }
}
