// What a page is narrowed by stands in its address, so that it can be sent to a colleague.
import { replace, router } from "svelte-spa-router";

export class Asked {
  value = $state("");

  // It is made while a component is: it reads the address once, and writes it whenever the value changes.
  constructor(name: string) {
    this.value = new URLSearchParams(router.querystring ?? "").get(name) ?? "";
    $effect(() => {
      const query = new URLSearchParams(router.querystring ?? "");
      if ((query.get(name) ?? "") === this.value) return;
      if (this.value) query.set(name, this.value);
      else query.delete(name);
      const text = query.toString();
      void replace(router.location + (text ? "?" + text : ""));
    });
  }
}
