<!-- What somebody holds already at a scope, by rules there and above: shown beside what they are about to be granted. -->
<script lang="ts">
  import { api, ask, type Schemas } from "../lib/api";
  import { asking } from "../lib/asking";
  import { session } from "../lib/session.svelte";
  import { count, href } from "../lib/words";
  import RuleLine from "./RuleLine.svelte";

  let { kind, name, at }: { kind: Schemas["PrincipalKind"]; name: string; at: string } = $props();

  const short = $derived(name.slice(name.lastIndexOf("/") + 1));
  let held = $state.raw<{ rules: Schemas["Rule"][]; below: number; hidden: boolean } | null>(null);
  let refused = $state(false);

  $effect(() => {
    const path = { organisation: session.organisation, kind, principal: name };
    const place = at;
    held = null;
    refused = false;
    return asking(
      () => ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path } })),
      (found) => (held = {
        rules: found.rules.filter((r) => place === r.scope.address || place.startsWith(r.scope.address + "/")),
        below: found.rules.filter((r) => r.scope.address.startsWith(place + "/")).length,
        hidden: found.hidden,
      }),
      () => (refused = true),
    );
  });
</script>

<section aria-label="Held already" data-test="held" class="rounded-lg border border-gray-200 px-4 py-3 dark:border-gray-700">
  <h3 class="font-semibold">What {short} holds there already</h3>
  {#if refused}
    <p class="quiet">To see it you need the permission to describe {short}.</p>
  {:else if !held}
    <p class="quiet">…</p>
  {:else}
    <ul class="mt-1 max-h-40 space-y-1 overflow-y-auto">
      {#each held.rules as rule (rule.words + rule.scope.id)}
        <li class="flex flex-wrap items-center gap-x-2">
          <RuleLine {rule} who={rule.grant?.principal.name !== name} />
          <span class="quiet">at</span> <a class="link address" href={href.scope(rule.scope.address)} title={rule.scope.address}>{rule.scope.address === at ? "this scope" : rule.scope.name}</a>
        </li>
      {:else}
        <li class="quiet">{held.hidden ? "Nothing that you may see." : "Nothing: no rule there or above names them."}</li>
      {/each}
    </ul>
    {#if held.below > 0}<p class="quiet mt-1">And {count(held.below, "rule")} further below.</p>{/if}
    {#if held.hidden && held.rules.length > 0}<p class="quiet mt-1">There are more rules that you may not see.</p>{/if}
  {/if}
</section>
