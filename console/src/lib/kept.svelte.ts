// What is written in a form and not saved yet. It stays in the window's storage until it is saved or thrown away on purpose: a
// dialog that closes, a reload, another page and the end of the session lose nothing.
import { session } from "./session.svelte";

export class Kept<T> {
  restored = $state(false); // what the form shows was written before, and not now
  #read: () => T;
  #write: (kept: T) => void;
  #key = $state("");
  #blank = "";

  // It is made while a component is made. read tells what the form holds, secrets left out, and write puts it there.
  constructor(read: () => T, write: (kept: T) => void) {
    this.#read = read;
    this.#write = write;
    $effect(() => {
      const now = JSON.stringify(this.#read());
      if (!this.#key) return;
      if (now === this.#blank) sessionStorage.removeItem(this.#key);
      else sessionStorage.setItem(this.#key, now);
    });
  }

  // begin goes on with what was written in the form of a name, whose fields are as they are when nothing was.
  begin(form: string) {
    const key = `draft ${session.me?.name}@${session.organisation}: ${form}`;
    this.#blank = JSON.stringify(this.#read());
    const kept = sessionStorage.getItem(key);
    this.restored = kept !== null && kept !== this.#blank;
    if (kept !== null) this.#write(JSON.parse(kept) as T);
    this.#key = key;
  }

  // drop forgets it: it was saved, or thrown away.
  drop() {
    if (this.#key) sessionStorage.removeItem(this.#key);
    this.#key = "";
    this.restored = false;
  }

  // startOver empties the form.
  startOver() {
    this.#write(JSON.parse(this.#blank) as T);
    this.restored = false;
  }
}
