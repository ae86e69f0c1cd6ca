<!-- A button for what is not the page's main act. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import type { ComponentProps } from "svelte";

  let { children, ...rest }: ComponentProps<typeof Button> = $props();
</script>

<Button color="alternative" class="dark:border-gray-600! dark:text-gray-100!" {...rest}>{@render children?.()}</Button>
