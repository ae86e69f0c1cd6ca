<!-- Says that a form shows what was written in it before, and lets it be emptied. -->
<script lang="ts">
  let { kept }: { kept: { restored: boolean; startOver(): void } } = $props();
</script>

{#if kept.restored}
  <p class="flex items-baseline gap-3 rounded-lg bg-gray-100 px-4 py-2 text-sm dark:bg-gray-800" data-test="kept">
    <span>This is what you wrote here before. It has not been saved.</span>
    <button type="button" class="link ml-auto shrink-0" onclick={() => kept.startOver()}>Start over</button>
  </p>
{/if}
