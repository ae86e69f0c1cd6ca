<!-- Told where somebody else has meanwhile altered what is being altered here: what they wrote, and which of both goes on. -->
<script lang="ts" generics="T extends Texts">
  import type { Draft, Texts } from "../lib/draft.svelte";

  // words name the things; those in silent are not shown as they are written.
  let { draft, words, silent = [], by = "Somebody else" }: { draft: Draft<T>; words: Record<keyof T & string, string>; silent?: (keyof T & string)[]; by?: string } = $props();
</script>

{#if draft.disputed.length > 0}
  <div role="alert" class="rounded-lg border border-copper-300 bg-copper-100 px-4 py-3 text-copper-900 dark:border-copper-700 dark:bg-copper-900/50 dark:text-copper-100" data-test="theirs">
    <p class="font-semibold">{by} has changed {draft.disputed.map((key) => words[key]).join(" and ")} while you were at it.</p>
    {#each draft.disputed as key (key)}
      {#if !silent.includes(key)}
        {#if draft.theirs[key]?.includes("\n")}<pre class="statement my-2 max-h-40 overflow-y-auto whitespace-pre-wrap">{draft.theirs[key]}</pre>
        {:else}<p>By now it is {#if draft.theirs[key]}<q>{draft.theirs[key]}</q>{:else}empty{/if}.</p>{/if}
      {/if}
    {/each}
    <div class="mt-1 flex flex-wrap gap-x-4">
      <button type="button" class="link" onclick={() => draft.take()}>Take theirs</button>
      <button type="button" class="link" onclick={() => draft.keep()}>Go on with mine, which replaces it</button>
    </div>
  </div>
{/if}
