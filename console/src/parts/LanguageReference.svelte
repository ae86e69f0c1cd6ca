<!-- How statements are written, by topic, for the side of their editor. -->
<script lang="ts">
  import topics from "../../../docs/statements.md?topics";

  let open = $state("");
</script>

<section aria-labelledby="language-heading" data-test="language">
  <h2 id="language-heading" class="mb-2 text-lg font-semibold">How it is written</h2>
  <div class="card divide-y divide-gray-200 dark:divide-gray-800">
    {#each topics as topic (topic.title)}
      <div>
        <button type="button" class="flex w-full items-baseline justify-between px-4 py-2 text-start hover:bg-gray-100 dark:hover:bg-gray-800" aria-expanded={open === topic.title}
          onclick={() => (open = open === topic.title ? "" : topic.title)}>
          {topic.title}<span class="quiet" aria-hidden="true">{open === topic.title ? "−" : "+"}</span>
        </button>
        {#if open === topic.title}<div class="reference px-4 pb-4">{@html topic.html}</div>{/if}
      </div>
    {/each}
  </div>
</section>

<style>
  .reference :global {
    p { margin-top: 0.6rem; }
    pre { margin-top: 0.6rem; white-space: pre-wrap; font-family: var(--font-mono); border-radius: 0.375rem; padding: 0.5rem 0.75rem; background: var(--reference-ground); font-size: 0.8125rem; }
    pre span { display: block; padding-inline-start: 3rem; text-indent: -3rem; }
    code { font-family: var(--font-mono); font-size: 0.8125rem; }
    /* The column is narrow: each row stands as a paragraph, its first cell as its heading. */
    table { margin-top: 0.6rem; font-size: 0.875rem; }
    thead { display: none; }
    tr, td { display: block; }
    tr { padding-block: 0.3rem; }
    td:first-child { font-weight: 600; }
  }
  .reference { --reference-ground: var(--color-gray-100); }
  :global(.dark) .reference { --reference-ground: var(--color-gray-800); }
</style>
