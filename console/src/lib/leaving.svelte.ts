// What asks before its page is left, since something on it is shown once.

class Leaving {
  to = $state(""); // where somebody wants to go, while they are asked
  #held = new Set<object>();

  constructor() {
    // A browser that lets no page keep its address asks at least before the console itself is left.
    (globalThis as { navigation?: EventTarget }).navigation?.addEventListener("navigate", (event) => {
      const { cancelable, hashChange, destination } = event as Event & { hashChange: boolean; destination: { url: string } };
      if (this.#held.size === 0 || !cancelable || !hashChange) return;
      event.preventDefault();
      this.to = destination.url;
    });
    addEventListener("beforeunload", (event) => {
      if (this.#held.size > 0) event.preventDefault();
    });
  }

  // hold has leaving asked about for as long as the part of a page that calls it says so. It is called while that is made.
  hold(wanted: () => boolean) {
    $effect(() => {
      if (!wanted()) return undefined;
      const one = {};
      this.#held.add(one);
      return () => this.#held.delete(one);
    });
  }

  stay() {
    this.to = "";
  }

  go() {
    const { to } = this;
    this.#held.clear();
    this.to = "";
    location.href = to;
  }
}

export const leaving = new Leaving();
