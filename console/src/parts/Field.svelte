<!-- A labelled field; what is wrong with it is said beneath. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import type { Problem } from "../lib/api";
  import { capital } from "../lib/words";

  let { label, name, hint, problem, children }: { label: string; name: string; hint?: string; problem?: Problem | null; children: Snippet<[string]> } = $props();

  const wrong = $derived(problem && problem.field === name ? problem : null);
  const id = $props.id();
</script>

<div>
  <label class="label" for={id}>{label}</label>
  {@render children(id)}
  {#if wrong}
    <p class="mt-1 text-sm font-semibold text-copper-700 dark:text-copper-300" role="alert">{capital(wrong.detail)}{wrong.next ? ": " + wrong.next : ""}</p>
  {:else if hint}
    <p class="quiet mt-1 text-sm">{hint}</p>
  {/if}
</div>
