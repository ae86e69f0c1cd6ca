// Whom the console shows everything as, for as long as this window is open: a kind and a name, or nobody else.
const key = "view-as";

class Viewing {
  as = $state(sessionStorage.getItem(key) ?? "");

  // All pages are made anew when it changes: none may keep what somebody else sees.
  #become(as: string) {
    if (as) sessionStorage.setItem(key, as);
    else sessionStorage.removeItem(key);
    location.hash = "#/tree";
    this.as = as;
  }

  start(kind: string, name: string) {
    this.#become(`${kind} ${name}`);
  }

  // forget ends it without going anywhere.
  forget() {
    sessionStorage.removeItem(key);
    this.as = "";
  }

  stop() {
    this.#become("");
  }
}

export const viewing = new Viewing();
