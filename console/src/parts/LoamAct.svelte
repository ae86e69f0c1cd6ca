<!-- Something that may be done in Loam; what may not is visibly off, and says why when it is pressed. -->
<script lang="ts">
  import { LockOutline } from "flowbite-svelte-icons";
  import type { Act } from "../lib/loam.svelte";

  let { act, word, open = false, onpress }: { act: Act; word: string; open?: boolean; onpress: () => void } = $props();
</script>

<button
  type="button"
  onclick={onpress}
  aria-expanded={open}
  title={act.on ? act.permission : act.reason}
  data-act={act.permission}
  data-on={act.on}
  class="inline-flex items-center gap-1.5 rounded-md border px-2.5 py-1 text-sm {act.on
    ? 'border-primary-300 bg-white text-primary-800 hover:bg-primary-50 dark:border-primary-700 dark:bg-gray-900 dark:text-primary-200 dark:hover:bg-primary-950'
    : 'border-dashed border-gray-400 text-gray-500 line-through decoration-gray-400 dark:border-gray-600 dark:text-gray-400'} {open ? 'ring-2 ring-primary-400' : ''}"
>
  {#if !act.on}<LockOutline class="h-3.5 w-3.5" aria-hidden="true" /><span class="sr-only">off: </span>{/if}{word}
</button>
