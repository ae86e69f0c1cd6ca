// What happens elsewhere: the organisation's revision as the service tells it, while this window is looked at. Pages that show
// something of the organisation read it again when it rises.
import { untrack } from "svelte";
import type { Schemas } from "./api";
import { service } from "./service.svelte";
import { session } from "./session.svelte";

type News = Schemas["News"];

class Live {
  // revision is 0 until it is known.
  revision = $state(0);
  // news is what led to it, as far as the person sees it.
  news = $state.raw<News>({ revision: 0 });
  #source: EventSource | null = null;
  #of = "";

  constructor() {
    // A window nobody looks at holds no connection: browsers keep only a few to one service.
    document.addEventListener("visibilitychange", () => this.#turn());
  }

  // follow follows the organisation that the signed-in person works in; none when there is none.
  follow(organisation: string) {
    if (organisation === this.#of) return;
    this.#of = organisation;
    this.revision = 0;
    this.#close();
    this.#turn();
  }

  #turn() {
    if (document.hidden || !this.#of) this.#close();
    else if (!this.#source) this.#open();
  }

  #open() {
    const source = new EventSource(`/api/v1/organisations/${encodeURIComponent(this.#of)}/stream`);
    source.addEventListener("revision", (event) => {
      this.news = JSON.parse((event as MessageEvent<string>).data) as News;
      this.revision = this.news.revision;
    });
    // The browser tries again by itself, unless it was refused: then whoever asks next is told why.
    source.onerror = () => {
      if (source.readyState === EventSource.CLOSED) this.#close();
    };
    this.#source = source;
  }

  #close() {
    this.#source?.close();
    this.#source = null;
  }
}

export const live = new Live();

// organisationNow is whose changes matter: of the one that the person works in, once they may.
export function organisationNow(): string {
  const me = session.me;
  return me && !me.choosePassword && me.wantedFactors.length === 0 && !me.keeper ? session.organisation : "";
}

// Shown is what a part of a page shows: things of some kinds, anywhere or about one place. What is left out is not asked for.
export type Shown = { kinds?: string[]; near?: string };

// concerns tells whether what led to a revision may alter what is shown. What the person does not see, and what may alter what they may
// do, concerns everything.
export function concerns(news: News, shown: Shown): boolean {
  if (news.mine || news.beyond) return true;
  if (shown.kinds && !news.kinds?.some((kind) => shown.kinds!.includes(kind))) return false;
  const { near } = shown;
  if (!near || !news.places?.length) return true;
  return news.places.some((place) => near === place || near.startsWith(place + "/") || place.startsWith(near + "/"));
}

// whenChanged has a page read again what it shows when that may have changed, but not under an open dialog: nothing is
// taken from somebody who is in the middle of something. It is called while a component is made.
export function whenChanged(load: () => void, shown: () => Shown = () => ({})) {
  let known = live.revision;
  let returned = service.returned;
  $effect(() => {
    if (service.returned === returned) return;
    returned = service.returned;
    untrack(load);
  });
  $effect(() => {
    const revision = live.revision;
    const risen = known > 0 && revision > known;
    known = revision;
    if (!risen || !untrack(() => concerns(live.news, shown()))) return undefined;
    if (!document.querySelector("dialog[open]")) {
      untrack(load);
      return undefined;
    }
    // A dialog that is taken away as it closes tells nobody of it, so the page itself is watched.
    const watch = new MutationObserver(() => {
      if (document.querySelector("dialog[open]")) return;
      watch.disconnect();
      load();
    });
    watch.observe(document.body, { subtree: true, childList: true, attributeFilter: ["open"] });
    return () => watch.disconnect();
  });
}
