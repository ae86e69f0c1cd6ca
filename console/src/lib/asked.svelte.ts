// What a page is narrowed by stands in its address, so that it can be sent to a colleague.
import { replace, router } from "svelte-spa-router";

export class Asked {
  value = $state("");

  // It is made while a component is: it reads the address once, and writes it whenever the value changes.
  // The usual value stands in no address.
  constructor(name: string, usual = "") {
    this.value = new URLSearchParams(router.querystring ?? "").get(name) ?? usual;
    $effect(() => {
      const query = new URLSearchParams(router.querystring ?? "");
      if ((query.get(name) ?? usual) === this.value) return;
      if (this.value !== usual) query.set(name, this.value);
      else query.delete(name);
      const text = query.toString();
      void replace(router.location + (text ? "?" + text : ""));
    });
  }
}
