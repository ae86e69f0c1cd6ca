<!-- Somebody: a user or group with a link to its page, or anybody else a rule can name. -->
<script lang="ts">
  import type { PrincipalRef } from "../lib/api";
  import { href } from "../lib/words";
  import Icon from "./Icon.svelte";

  let { who }: { who: PrincipalRef } = $props();
</script>

{#snippet name()}
  {#if who.kind === "group" || who.kind === "outside-group"}
    <Icon name="group" class="h-4 w-4 {who.kind === 'group' ? 'text-primary-600 dark:text-primary-300' : 'text-copper-700 dark:text-copper-300'}" label={who.kind === "group" ? "group" : "group from outside"} />
  {:else if who.kind === "set"}
    <Icon name="set" class="h-4 w-4 text-copper-700 dark:text-copper-300" label="built-in set" />
  {:else if who.kind === "service" || who.kind === "service-account"}
    <Icon name="program" class="h-4 w-4 text-gray-500 dark:text-gray-400" label={who.kind === "service" ? "platform service" : "service account"} />
  {:else if who.kind === "provider"}
    <Icon name="set" class="h-4 w-4 text-copper-700 dark:text-copper-300" label="identity provider" />
  {:else}
    <Icon name="person" class="h-4 w-4 text-gray-500 dark:text-gray-400" label={who.kind.replace("-", " ")} />
  {/if}
  {#if who.kind === "service-account" && who.name.includes("/")}
    <span class="font-semibold whitespace-nowrap" title={who.name}>{who.name.slice(who.name.lastIndexOf("/") + 1)}</span>
    <span class="quiet text-sm">of {who.name.split("/").at(-2)}</span>
  {:else}
    <span class="font-semibold">{who.name}</span>
  {/if}
{/snippet}

{#if href.principal(who)}
  <a href={href.principal(who)} class="inline-flex items-center gap-x-2 rounded align-middle hover:underline">{@render name()}</a>
{:else}
  <span class="inline-flex items-center gap-x-2 align-middle">{@render name()}</span>
{/if}
