<script lang="ts">
  import { ExclamationCircleOutline } from "flowbite-svelte-icons";
  import type { Problem } from "../lib/api";
  import { capital } from "../lib/words";

  let { problem }: { problem: Problem } = $props();
</script>

<div role="alert" data-test="problem" class="flex gap-3 rounded-lg border border-copper-300 bg-copper-100 px-4 py-3 text-copper-900 dark:border-copper-700 dark:bg-copper-900/50 dark:text-copper-100">
  <ExclamationCircleOutline class="mt-0.5 h-5 w-5 shrink-0" />
  <div>
    <p class="font-semibold">{capital(problem.detail)}.</p>
    {#if problem.next}<p>{capital(problem.next)}{problem.next.endsWith("?") ? "" : "."}</p>{/if}
  </div>
</div>
