<!-- Marks what was made just now. -->
<script lang="ts">
  let { word = "new" }: { word?: string } = $props();
</script>

<span class="rounded-full bg-primary-600 px-2 py-0.5 text-xs font-semibold text-white">{word}</span>
