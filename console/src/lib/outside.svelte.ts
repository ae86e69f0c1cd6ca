// Signing in at an identity provider: where a browser goes for it, and what it brings back.
import { api, ask, asProblem } from "./api";
import { session } from "./session.svelte";
import { capital } from "./words";

// signInAt is the address at which signing in by a provider begins; back is the page of the console to go on with.
export function signInAt(organisation: string, provider: string, back: string, proof = false): string {
  const query = new URLSearchParams({ back, ...(proof ? { proof: "1" } : {}) });
  return `/sign-in/by/${encodeURIComponent(organisation)}/${encodeURIComponent(provider)}?${query}`;
}

// returned is the page on which a window ends that was opened to sign in there once more.
export const returned = "/returned";

const channel = "arbora-returned";

// tellReturned has the window that waits know that somebody came back.
export function tellReturned() {
  const line = new BroadcastChannel(channel);
  line.postMessage(session.me?.name ?? "");
  line.close();
}

// elsewhere opens a window to sign in by one's provider once more, and calls back when it has come home. It returns what ends the waiting.
export function elsewhere(proof: boolean, home: () => void): () => void {
  const line = new BroadcastChannel(channel);
  line.onmessage = home;
  window.open(signInAt(session.organisation, session.me?.provider ?? "", returned, proof), "_blank");
  return () => line.close();
}

// outcome reads, once, why somebody who came back was not let in, from the page's address; "" for nothing to tell.
export async function outcome(querystring: string): Promise<string> {
  const token = new URLSearchParams(querystring).get("told");
  if (!token) return "";
  history.replaceState(null, "", location.pathname + "#/");
  try {
    const { detail, next } = await ask(api.POST("/sign-in/told", { body: { token } }));
    return [detail, next].filter(Boolean).map((text) => capital(text) + ".").join(" ");
  } catch (caught) {
    return capital(asProblem(caught).detail) + ".";
  }
}
