<!-- An icon of a row. Without a label it says nothing that does not stand beside it. -->
<script lang="ts">
  import type { IconName } from "./Icons.svelte";

  let { name, label, class: shape = "h-4 w-4" }: { name: IconName; label?: string; class?: string } = $props();
</script>

<svg class="{shape} shrink-0" role={label ? "img" : undefined} aria-label={label} aria-hidden={!label}><use href="#icon-{name}" /></svg>
