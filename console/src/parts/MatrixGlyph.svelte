<!-- A cell of the access matrix: a square for each class of act, control plane above, data plane beneath. Full for all of the
     class, half for some, hollow for what hangs on a condition; governing is in copper. -->
<script lang="ts">
  import { classes, type Tally } from "../lib/matrix";

  let { control, data, squares = classes.length }: { control: Tally[]; data: Tally[]; squares?: number } = $props();

  const rows = $derived([control, data].filter((row) => row.some((t) => t.all > 0)));
  const size = 11;
  const gap = 3;
  const width = $derived(squares * (size + gap) - gap);

  const fill = (t: Tally) => (t.held === 0 ? 0 : t.held === t.all ? size : size / 2);
</script>

<svg {width} height={Math.max(rows.length, 1) * (size + gap) - gap} aria-hidden="true" class="inline-block">
  {#each rows as row, y (y)}
    {#each row as t, x (t.class)}
      {#if t.all > 0}
        {@const left = x * (size + gap)}
        {@const top = y * (size + gap)}
        {@const tone = t.class === "govern" ? "copper" : "primary"}
        {#if t.held + t.maybe === 0}
          <rect x={left + 4.5} y={top + 4.5} width="2" height="2" class="fill-gray-300 dark:fill-gray-600" />
        {:else}
          <rect x={left + 0.5} y={top + 0.5} width={size - 1} height={size - 1} fill="none" class={tone === "copper" ? "stroke-copper-600 dark:stroke-copper-300" : "stroke-primary-600 dark:stroke-primary-400"} stroke-width="1.5" stroke-dasharray={t.held === 0 ? "2.5 2" : undefined} />
          <rect x={left} y={top + size - fill(t)} width={size} height={fill(t)} class={tone === "copper" ? "fill-copper-600 dark:fill-copper-300" : "fill-primary-600 dark:fill-primary-400"} />
        {/if}
      {/if}
    {/each}
  {/each}
</svg>
