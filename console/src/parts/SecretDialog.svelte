<!-- Secrets that are shown this once: nothing but its button closes it, and it asks when nothing was copied or saved. -->
<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";
  import QuietButton from "./QuietButton.svelte";
  import ResultCard, { type Result } from "./ResultCard.svelte";

  let { result, onclose }: { result: Result; onclose: () => void } = $props();

  let kept = $state(false);
  let asked = $state(false);
</script>

<Modal open dismissable={false} size="md" title={result.title} oncancel={(event) => event.preventDefault()}>
  <div class="space-y-4" data-test="secret">
    <ResultCard {...result} bind:kept bare />
    <div class="flex flex-wrap items-center justify-end gap-3">
      {#if asked && !kept}
        <p class="me-auto font-semibold" role="alert">You have neither copied nor saved it.</p>
        <QuietButton onclick={onclose}>Close without it</QuietButton>
      {:else}
        <Button onclick={() => (kept ? onclose() : (asked = true))}>Done</Button>
      {/if}
    </div>
  </div>
</Modal>
