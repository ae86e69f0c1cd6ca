// Who is signed in, as the whole console knows it.
import type { components } from "./api.gen";

type Session = components["schemas"]["Session"];

class Current {
  me = $state<Session | null>(null);
  known = $state(false); // whether it was asked for yet
  lapsed = $state(""); // why the session ended by itself, while its page stays and the person signs in again over it
  #waiting: ((resumed: boolean) => void)[] = [];

  begin(me: Session) {
    this.me = me;
    this.known = true;
  }

  end() {
    this.me = null;
    this.known = true;
    this.#settle(false);
  }

  // lapse has the person sign in again over the page, and reports whether they did: what was refused may then be asked again.
  lapse(why: string): Promise<boolean> {
    this.lapsed = why;
    return new Promise((settle) => this.#waiting.push(settle));
  }

  // resume goes on where the session ended. Somebody else begins anew: nothing of the first person's may be left on the page.
  resume(me: Session) {
    const same = me.name === this.me?.name && me.organisation === this.me.organisation;
    if (!same) this.end();
    this.begin(me);
    this.#settle(same);
  }

  #settle(resumed: boolean) {
    this.lapsed = "";
    for (const settle of this.#waiting.splice(0)) settle(resumed);
  }

  // organisation is the name of the organisation of whoever is signed in; "" for a keeper.
  get organisation(): string {
    return this.me?.organisation ?? "";
  }
}

export const session = new Current();
