<script lang="ts">
  import { ShieldOutline } from "flowbite-svelte-icons";
  import { href } from "../lib/words";

  let { name, privileged, linked = true }: { name: string; privileged: boolean; linked?: boolean } = $props();
</script>

<span class="inline-flex items-center gap-2 align-middle whitespace-nowrap">
  {#if linked}<a class="link font-semibold" href={href.role(name)}>{name}</a>{:else}<span class="font-semibold">{name}</span>{/if}
  {#if privileged}
    <span class="inline-flex items-center gap-1 rounded-full bg-copper-100 px-2 py-0.5 text-xs font-semibold text-copper-700 dark:bg-copper-900 dark:text-copper-200" title="This role can govern: people, groups, roles or grants">
      <ShieldOutline class="h-3 w-3" />privileged
    </span>
  {/if}
</span>
