<script lang="ts">
  import type { Snippet } from "svelte";

  // A wide page uses the window's width, for tables.
  let { title, lead, wide = false, actions, children }: { title: string; lead?: string; wide?: boolean; actions?: Snippet; children: Snippet } = $props();
</script>

<svelte:head><title>{title} · Arbora</title></svelte:head>

<main class="mx-auto {wide ? 'max-w-none' : 'max-w-[1240px]'} px-6 py-7 max-sm:px-4">
  <div class="mb-5 flex flex-wrap items-end gap-4">
    <div>
      <h1 class="text-2xl font-semibold tracking-tight">{title}</h1>
      {#if lead}<p class="quiet mt-0.5">{lead}</p>{/if}
    </div>
    <div class="ml-auto flex flex-wrap justify-end gap-2 max-sm:ml-0 max-sm:justify-start">{@render actions?.()}</div>
  </div>
  {@render children()}
</main>
