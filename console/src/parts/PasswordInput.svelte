<!-- A field for a password: it can be shown, and says when capitals are locked. -->
<script lang="ts">
  import { EyeOutline, EyeSlashOutline } from "flowbite-svelte-icons";
  import type { HTMLInputAttributes } from "svelte/elements";
  import TextInput from "./TextInput.svelte";

  let { value = $bindable(""), ...rest }: { value?: string } & HTMLInputAttributes = $props();

  let shown = $state(false);
  let locked = $state(false);
</script>

<div class="relative">
  <TextInput bind:value type={shown ? "text" : "password"} onkeyup={(event) => (locked = event.getModifierState?.("CapsLock") ?? false)} {...rest} style="padding-right:2.75rem" />
  <button type="button" class="absolute inset-y-0 right-0 flex w-10 items-center justify-center rounded text-gray-500 hover:text-gray-900 dark:text-gray-400 dark:hover:text-gray-50" aria-label={shown ? "Hide the password" : "Show the password"} onclick={() => (shown = !shown)}>
    {#if shown}<EyeSlashOutline class="h-5 w-5" />{:else}<EyeOutline class="h-5 w-5" />{/if}
  </button>
</div>
{#if locked}<p class="mt-1 text-sm font-semibold text-copper-700 dark:text-copper-300" role="status">Caps Lock is on.</p>{/if}
