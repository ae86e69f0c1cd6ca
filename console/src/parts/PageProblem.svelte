<!-- Why a page shows nothing. What is not found here may be somewhere else that knows the person, which is not said: those are listed. -->
<script lang="ts">
  import type { Problem } from "../lib/api";
  import Elsewhere from "./Elsewhere.svelte";
  import ProblemNote from "./ProblemNote.svelte";

  let { problem }: { problem: Problem } = $props();
</script>

<ProblemNote {problem} />
{#if problem.status === 404}<Elsewhere />{/if}
