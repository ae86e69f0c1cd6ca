// What a page is narrowed by stands in its address, so that it can be sent to a colleague.
import { untrack } from "svelte";
import { replace, router } from "svelte-spa-router";

const present = () => new URLSearchParams(router.querystring ?? "");

function rewrite(query: URLSearchParams) {
  const text = query.toString();
  void replace(router.location + (text ? "?" + text : ""));
}

export class QueryParam {
  value = $state("");

  // It is made while a component is, and belongs to that component's page: it follows the page's address, and the address
  // follows it, until another page is opened. The usual value stands in no address.
  constructor(name: string, usual = "") {
    const page = router.location;
    this.value = present().get(name) ?? usual;
    $effect(() => {
      const written = (router.location === page && present().get(name)) || usual;
      if (router.location === page) this.value = written;
    });
    $effect(() => {
      const { value } = this;
      untrack(() => {
        const query = present();
        if (router.location !== page || (query.get(name) ?? usual) === value) return;
        if (value !== usual) query.set(name, value);
        else query.delete(name);
        rewrite(query);
      });
    });
  }
}

// askNoMore takes out of the address what was asked for once, such as that a dialog be opened.
export function askNoMore(...names: string[]) {
  const query = present();
  for (const name of names) query.delete(name);
  rewrite(query);
}
