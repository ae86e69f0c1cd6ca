<!-- What was done last, and the way back from it. -->
<script lang="ts">
  import { CloseOutline } from "flowbite-svelte-icons";
  import { undo } from "../lib/undo.svelte";
  import { capital } from "../lib/words";
</script>

{#if undo.words}<div class="h-24" aria-hidden="true"></div>{/if}<!-- so that the end of a page is never beneath it -->
<div role="status" class="pointer-events-none fixed inset-x-0 bottom-0 z-40 flex justify-center p-4">
  {#if undo.words}
    <div data-test="undo" class="pointer-events-auto flex max-w-2xl items-center gap-4 rounded-lg bg-gray-900 py-2.5 pr-2 pl-5 text-gray-50 shadow-lg dark:bg-gray-100 dark:text-gray-900">
      <p class="min-w-0">
        {undo.words}
        {#if undo.problem}<span class="block font-semibold">Not undone: {undo.problem.detail}{undo.problem.next ? ". " + capital(undo.problem.next) : ""}.</span>{/if}
      </p>
      <button type="button" class="rounded px-3 py-1.5 font-semibold underline underline-offset-4 hover:bg-gray-700 dark:hover:bg-gray-300" disabled={undo.busy} onclick={() => undo.take()}>Undo</button>
      <button type="button" class="rounded p-2 hover:bg-gray-700 dark:hover:bg-gray-300" aria-label="Close" onclick={() => undo.close()}><CloseOutline class="h-4 w-4" /></button>
    </div>
  {/if}
</div>
