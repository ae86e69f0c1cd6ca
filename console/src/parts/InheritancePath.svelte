<!-- The way from the top down to a scope as a stem of dots; the filled one is where something comes from. -->
<script lang="ts">
  let { length, origin }: { length: number; origin: number } = $props();
  const gap = 14;
  const here = $derived(origin === length - 1);
</script>

<svg width={length * gap} height="14" viewBox="0 0 {length * gap} 14" aria-hidden="true" class="shrink-0">
  <line x1="7" y1="7" x2={(length - 1) * gap + 7} y2="7" class="stroke-gray-300 dark:stroke-gray-600" stroke-width="2" />
  <line x1={origin * gap + 7} y1="7" x2={(length - 1) * gap + 7} y2="7" class={here ? "stroke-primary-600" : "stroke-primary-400"} stroke-width="2" />
  {#each { length } as _, i (i)}
    <circle
      cx={i * gap + 7}
      cy="7"
      r={i === origin ? 5 : 3}
      class={i === origin ? "fill-primary-600 dark:fill-primary-400" : i > origin ? "fill-primary-300 dark:fill-primary-600" : "fill-gray-300 dark:fill-gray-600"}
    />
  {/each}
</svg>
