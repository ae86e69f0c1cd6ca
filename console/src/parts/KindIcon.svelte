<!-- What kind of scope something is. -->
<script lang="ts">
  import Icon from "./Icon.svelte";
  import { isIcon } from "./Icons.svelte";

  let { kind, type, class: shape = "h-4 w-4" }: { kind: string; type?: string; class?: string } = $props();

  const name = $derived(type ?? kind);
</script>

<Icon name={isIcon(name) ? name : "resource"} class="{shape} {type ? 'text-gray-500 dark:text-gray-400' : 'text-primary-600 dark:text-primary-300'}" />
