<!-- Why something is off in Loam, and how to ask for it. -->
<script lang="ts">
  import { capital } from "../lib/words";
  import type { Act } from "../lib/loam.svelte";
  import QuietButton from "./QuietButton.svelte";

  let { act }: { act: Act } = $props();

  const question = $derived(/"(.+)"/.exec(act.ask ?? "")?.[1] ?? "");
  let copied = $state(false);

  async function copy() {
    await navigator.clipboard.writeText(question);
    copied = true;
  }
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-2" role="status" data-test="reason">
  <div class="min-w-0 flex-1">
    <p>You may not <strong>{act.permission}</strong>. {capital((act.reason ?? "").replace(/^.* may not do that: /, ""))}.</p>
    {#if act.ask}<p class="quiet">{capital(act.ask)}</p>{/if}
  </div>
  {#if question}<QuietButton size="xs" onclick={copy}>{copied ? "Copied" : "Copy the question"}</QuietButton>{/if}
</div>
