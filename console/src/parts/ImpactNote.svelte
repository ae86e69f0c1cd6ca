<!-- What a change would alter, before it is made: who gains and loses what, and where. Each count opens to what it counts. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import type { Schemas } from "../lib/api";
  import { weigh } from "../lib/impact";
  import { count, part } from "../lib/words";

  // made is for what was done already: the sentence that says what would be is left out. take offers to take an advice.
  let { impact, made = false, take }: { impact: Schemas["Impact"]; made?: boolean; take?: Snippet<[Schemas["Advice"]]> } = $props();

  const looks = {
    danger: "border-copper-600 bg-copper-100 dark:bg-copper-900/60",
    loss: "border-copper-600 bg-copper-100 dark:bg-copper-900/60",
    gain: "border-gray-500 bg-gray-100 dark:bg-gray-800",
    nothing: "border-gray-300 bg-gray-50 text-gray-600 dark:border-gray-600 dark:bg-gray-900 dark:text-gray-300",
  };
  const weight = $derived(weigh(impact));
  const named = 6; // people told by name before the rest are counted
  const effectsShown = 8;
  let all = $state(false); // all effects are shown
  let opened = $state(""); // the count that is open, or whose names are

  function verb(effect: Schemas["Effect"], word: string): string {
    return effect.principals.length + effect.outsiders.length === 1 && !["set", "provider"].includes(effect.principals[0]?.kind ?? "") ? word + "s" : word;
  }

  function parts(effect: Schemas["Effect"]): { words: string; permissions: string[] }[] {
    const rest = (of: string[], turned: string[]) => of.filter((permission) => !turned.includes(permission));
    const [perhapsMore, perhapsLess] = [rest(effect.mayGain, effect.nowUnconditional), rest(effect.mayLose, effect.nowConditional)];
    const told = (word: string, permissions: string[], terms = "") => ({ words: `${verb(effect, word)} ${count(permissions.length, "permission")}${terms}`, permissions });
    return [
      told("gain", effect.gains),
      told("gain", perhapsMore, " under a condition"),
      told("hold", effect.nowUnconditional, " without a condition from now on"),
      told("lose", effect.loses),
      told("lose", perhapsLess, " under a condition"),
      told("hold", effect.nowConditional, " only under a condition from now on"),
      told("hold", effect.shifting, " under another condition"),
    ].filter(({ permissions }) => permissions.length > 0);
  }

  const short = (name: string) => name.slice(name.lastIndexOf("/") + 1);
  const people = (effect: Schemas["Effect"]) =>
    effect.principals.map((p) => (p.kind === "provider" ? "people from " : "") + short(p.name)).concat(effect.outsiders.map((set) => ({ public: "anybody else at all", "signed-in": "anybody else signed in" })[set] ?? "anybody else from " + set));
  const keyOf = (effect: Schemas["Effect"]) => effect.scope.id + effect.part + people(effect).join();
  const toggle = (key: string) => (opened = opened === key ? "" : key);
</script>

<div data-test="impact" data-weight={weight} class="rounded-lg border-l-4 px-4 py-3 {looks[weight]}">
  {#each impact.warnings as warning (warning)}<p class="mb-1 font-semibold">{warning}</p>{/each}
  {#if !made}<p class={weight === "nothing" ? "" : "font-semibold"}>{impact.words}</p>{/if}
  <ul class="mt-1 space-y-1">
    {#each all ? impact.effects : impact.effects.slice(0, effectsShown) as effect (keyOf(effect))}
      {@const key = keyOf(effect)}
      {@const names = people(effect)}
      <li>
        <strong>{(opened === key ? names : names.slice(0, named)).join(", ")}</strong>{#if names.length > named}{" "}<button type="button" class="link" aria-expanded={opened === key} onclick={() => toggle(key)}>{opened === key ? "fewer" : `and ${names.length - named} more`}</button>{/if}
        {#each parts(effect) as told, i (told.words)}{i > 0 ? ", " : " "}<button type="button" class="text-left underline decoration-dotted underline-offset-3" aria-expanded={opened === key + told.words} title="Show which" onclick={() => toggle(key + told.words)}>{told.words}</button>{:else}{" "}{verb(effect, "keep")} what they hold{/each}
        at <span class="address">{effect.scope.name}</span>{part(effect.part, effect.beneath)}
        {#each parts(effect) as told (told.words)}{#if opened === key + told.words}<span class="address mt-0.5 block text-sm" data-test="opened">{told.permissions.join(", ")}</span>{/if}{/each}
      </li>
    {/each}
  </ul>
  {#if impact.effects.length > effectsShown}<button type="button" class="link mt-1" aria-expanded={all} onclick={() => (all = !all)}>{all ? "Show fewer" : `Show all ${impact.effects.length} lines`}</button>{/if}
  {#each impact.advice as advice (advice.words)}<p class="mt-1" data-test="advice"><strong>Better:</strong> {advice.words} {@render take?.(advice)}</p>{/each}
  {#if impact.hidden}<p class="mt-1">There are more effects that you may not see.</p>{/if}
</div>
