// Who is signed in, as the whole console knows it.
import type { components } from "./api.gen";

type Session = components["schemas"]["Session"];

class Current {
  me = $state<Session | null>(null);
  known = $state(false); // whether it was asked for yet

  begin(me: Session) {
    this.me = me;
    this.known = true;
  }

  end() {
    this.me = null;
    this.known = true;
  }

  // organisation is the name of the organisation of whoever is signed in; "" for a keeper.
  get organisation(): string {
    return this.me?.organisation ?? "";
  }
}

export const session = new Current();
