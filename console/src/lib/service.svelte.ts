// Whether the service answers. While it does not, it is tried again by itself, less and less often, and pages read anew what they
// show once it is back.
const shortest = 1000;
const longest = 10_000; // milliseconds between tries

class Service {
  down = $state(false);
  returned = $state(0); // how often it came back
  #wait = shortest;
  #timer: ReturnType<typeof setTimeout> | undefined;

  // lost is told by whoever got no answer.
  lost() {
    if (this.down) return;
    this.down = true;
    this.#wait = shortest;
    this.#later();
  }

  async retry() {
    clearTimeout(this.#timer);
    const there = await fetch("/api/v1/status").then((answer) => answer.ok, () => false);
    if (there) {
      this.down = false;
      this.returned++;
    } else {
      this.#wait = Math.min(longest, this.#wait * 2);
      this.#later();
    }
  }

  #later() {
    this.#timer = setTimeout(() => void this.retry(), this.#wait);
  }
}

export const service = new Service();
