<!-- What a change would alter, before it is made: who gains and loses what, and where. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";
  import { count, part } from "../lib/words";

  // made is for what was done already: the sentence that says what would be is left out.
  let { impact, made = false }: { impact: Schemas["Impact"]; made?: boolean } = $props();

  const grave = $derived(impact.warnings.length > 0);
  const named = 6; // people told by name before the rest are counted

  function verb(effect: Schemas["Effect"], word: string): string {
    return effect.principals.length + effect.outsiders.length === 1 && effect.principals[0]?.kind !== "set" ? word + "s" : word;
  }

  function parts(effect: Schemas["Effect"]): { words: string; permissions: string[] }[] {
    return [
      { words: `${verb(effect, "gain")} ${count(effect.gains.length, "permission")}`, permissions: effect.gains },
      { words: `${verb(effect, "gain")} ${count(effect.mayGain.length, "permission")} under a condition`, permissions: effect.mayGain },
      { words: `${verb(effect, "lose")} ${count(effect.loses.length, "permission")}`, permissions: effect.loses },
      { words: `${verb(effect, "lose")} ${count(effect.mayLose.length, "permission")} under a condition`, permissions: effect.mayLose },
      { words: `${verb(effect, "hold")} ${count(effect.shifting.length, "permission")} under another condition`, permissions: effect.shifting },
    ].filter((told) => told.permissions.length > 0);
  }

  function people(effect: Schemas["Effect"]): string {
    const names = effect.principals.map((p) => p.name.slice(p.name.lastIndexOf("/") + 1)).concat(effect.outsiders.map((set) => (set === "public" ? "anybody else at all" : "anybody else signed in")));
    return names.length > named ? names.slice(0, named).join(", ") + ` and ${names.length - named} more` : names.join(", ");
  }
</script>

<div
  data-test="impact"
  class="rounded-lg border-l-4 px-4 py-3 {grave ? 'border-copper-600 bg-copper-100 dark:bg-copper-900/60' : 'border-primary-600 bg-primary-50 dark:bg-primary-950'}"
>
  {#if !made}<p class="font-semibold">{impact.words}</p>{/if}
  <ul class="mt-1 max-h-48 space-y-1 overflow-y-auto">
    {#each impact.effects as effect (effect.scope.id + effect.part + people(effect))}
      <li>
        <strong>{people(effect)}</strong>
        {#each parts(effect) as told, i (told.words)}{i > 0 ? ", " : " "}<span title={told.permissions.join(", ")}>{told.words}</span>{:else}{" "}{verb(effect, "keep")} what they hold{/each}
        at <span class="address">{effect.scope.name}</span>{part(effect.part, effect.beneath)}
      </li>
    {/each}
  </ul>
  {#each impact.warnings as warning (warning)}<p class="mt-1 font-semibold">{warning}</p>{/each}
  {#each impact.advice as advice (advice)}<p class="mt-1" data-test="advice"><strong>Better:</strong> {advice}</p>{/each}
  {#if impact.hidden}<p class="mt-1">There are more effects that you may not see.</p>{/if}
</div>
