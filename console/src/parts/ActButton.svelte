<!-- The button that makes a change whose impact is shown: it names what the change takes away, and looks as grave as it is. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import type { Schemas } from "../lib/api";
  import { naming, weigh } from "../lib/impact";

  let {
    action, impact, disabled, type = "button", onclick, "data-test": test,
  }: { action: string; impact: Schemas["Impact"] | null; disabled?: boolean; type?: "button" | "submit"; onclick?: () => void; "data-test"?: string } = $props();

  // What opens something to anybody at all takes a second press, which says so.
  let armed = $state("");
  const opens = $derived(impact?.effects.some((effect) => effect.public) ?? false);
  const asking = $derived(opens && armed === impact?.confirmation);

  function press(event: MouseEvent) {
    if (opens && !asking) {
      event.preventDefault();
      armed = impact?.confirmation ?? "";
    } else onclick?.();
  }

  const grave = $derived(impact !== null && ["danger", "loss"].includes(weigh(impact)));
</script>

<Button {type} {disabled} onclick={press} data-test={test} class={grave ? "bg-copper-700! hover:bg-copper-900! dark:bg-copper-600! dark:hover:bg-copper-700!" : ""}>{asking ? "Open it to anybody at all?" : naming(action, impact)}</Button>
