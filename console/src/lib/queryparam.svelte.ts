// What a page is narrowed by stands in its address, so that it can be sent to a colleague.
import { replace, router } from "svelte-spa-router";

const present = () => new URLSearchParams(router.querystring ?? "");

function rewrite(query: URLSearchParams) {
  const text = query.toString();
  void replace(router.location + (text ? "?" + text : ""));
}

export class QueryParam {
  value = $state("");

  // It is made while a component is: it reads the address once, and writes it whenever the value changes.
  // The usual value stands in no address.
  constructor(name: string, usual = "") {
    this.value = present().get(name) ?? usual;
    $effect(() => {
      const query = present();
      if ((query.get(name) ?? usual) === this.value) return;
      if (this.value !== usual) query.set(name, this.value);
      else query.delete(name);
      rewrite(query);
    });
  }
}

// askNoMore takes out of the address what was asked for once, such as that a dialog be opened.
export function askNoMore(...names: string[]) {
  const query = present();
  for (const name of names) query.delete(name);
  rewrite(query);
}
