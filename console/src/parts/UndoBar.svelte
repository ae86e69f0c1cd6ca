<!-- What was done last, and the way back from it: above the page, so that it covers nothing. -->
<script lang="ts">
  import { CloseOutline } from "flowbite-svelte-icons";
  import { undo } from "../lib/undo.svelte";
  import { capital } from "../lib/words";
</script>

<div role="status">
  {#if undo.words}
    <div data-test="undo" class="flex items-center justify-center gap-4 bg-gray-900 py-1.5 pr-2 pl-5 text-gray-50 dark:bg-gray-100 dark:text-gray-900">
      <p class="min-w-0">
        {undo.words}
        {#if undo.problem}<span class="block font-semibold">Not undone: {undo.problem.detail}{undo.problem.next ? ". " + capital(undo.problem.next) : ""}.</span>{/if}
      </p>
      <button type="button" class="rounded px-3 py-1 font-semibold underline underline-offset-4 hover:bg-gray-700 dark:hover:bg-gray-300" disabled={undo.busy} onclick={() => undo.take()}>Undo</button>
      <button type="button" class="rounded p-2 hover:bg-gray-700 dark:hover:bg-gray-300" aria-label="Close" onclick={() => undo.close()}><CloseOutline class="h-4 w-4" /></button>
    </div>
  {/if}
</div>
