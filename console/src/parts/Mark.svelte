<script lang="ts">
  let { size = "h-8 w-8" }: { size?: string } = $props();
</script>

<img src="/mark.svg" alt="" class={size} />
