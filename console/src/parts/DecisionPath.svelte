<!-- The way from the top down to a scope, with the rules met on it and why each applies or does not. -->
<script lang="ts">
  import type { Answer, Schemas } from "../lib/api";
  import { capital, count, href } from "../lib/words";
  import RuleLine from "./RuleLine.svelte";

  let { answer, path }: { answer: Answer; path: Schemas["ScopeRef"][] } = $props();

  // Rules that name somebody else are many and say nothing here: they are shown when asked for.
  let all = $state(false);
  const others = $derived(answer.rules.filter((m) => m.outcome === "not-named").length);

  function metAt(id: string) {
    return answer.rules.filter((m) => m.rule.scope.id === id && (all || m.outcome !== "not-named"));
  }

  function decides(m: Schemas["RuleOutcome"]): boolean {
    const by = answer.decidedBy?.rule;
    if (!by) return false;
    return by.grant ? m.rule.grant?.id === by.grant.id : m.rule.statement?.policy.id === by.statement?.policy.id && m.rule.statement?.number === by.statement?.number;
  }
</script>

<section aria-labelledby="way-heading">
  <h2 id="way-heading" class="mb-2 text-lg font-semibold">The way through the tree</h2>
  <ol class="card px-5 py-4" data-test="way">
    {#each path as part, i (part.id)}
      {@const met = metAt(part.id)}
      <li class="relative grid grid-cols-[1.5rem_14rem_minmax(0,1fr)] max-sm:grid-cols-[1.5rem_8rem_minmax(0,1fr)] items-start gap-3 pb-4 last:pb-0">
        {#if i < path.length - 1}<span class="absolute top-4 left-[0.6875rem] h-full w-0.5 bg-gray-300 dark:bg-gray-600" aria-hidden="true"></span>{/if}
        <span
          class="relative mt-1 ml-1 h-4 w-4 rounded-full border-2 {met.some(decides)
            ? answer.allowed
              ? 'border-primary-600 bg-primary-600 dark:border-primary-400 dark:bg-primary-400'
              : 'border-copper-600 bg-copper-600 dark:border-copper-300 dark:bg-copper-300'
            : met.length > 0
              ? 'border-copper-600 bg-white dark:border-copper-300 dark:bg-gray-900'
              : 'border-gray-300 bg-white dark:border-gray-600 dark:bg-gray-900'}"
          aria-hidden="true"
        ></span>
        <a class="link truncate" href={href.scope(part.address)}>{part.name}</a>
        <div class="space-y-1.5">
          {#each met as m (m.rule.words + m.rule.scope.id)}
            <p class="flex flex-wrap items-center gap-x-3 gap-y-1">
              <RuleLine rule={m.rule} />
              {#if m.through.length > 1}<span class="quiet">through {m.through.slice(0, -1).join(", ")}</span>{/if}
              {#if decides(m)}
                <span class="rounded-full px-2.5 py-0.5 text-sm font-semibold text-white {answer.allowed ? 'bg-primary-600' : 'bg-copper-600'}">decides</span>
              {/if}
              <span class="quiet text-sm">{m.words}</span>
            </p>
          {:else}
            <p class="quiet">nothing for {answer.principal.name}</p>
          {/each}
        </div>
      </li>
    {/each}
  </ol>
  {#if others > 0}
    <button type="button" class="link mt-2 text-sm" onclick={() => (all = !all)}>
      {all ? "Leave out" : "Show"} {count(others, "rule")} about {answer.permission} for others
    </button>
  {/if}
  {#if answer.hidden}<p class="quiet mt-2 text-sm">There are more rules that you may not see.</p>{/if}
</section>

{#if answer.steps.length > 0}
  <section aria-labelledby="steps-heading" class="mt-6">
    <h2 id="steps-heading" class="mb-2 text-lg font-semibold">What would make it a yes</h2>
    <ul class="card" data-test="steps">
      {#each answer.steps as step (step.words)}
        <li class="flex items-center gap-x-4 border-b border-gray-100 px-5 py-2.5 last:border-0 max-sm:flex-wrap dark:border-gray-800">
          <span class="min-w-0 wrap-anywhere">{capital(step.words)}</span>
          <span class="quiet ml-auto text-sm whitespace-nowrap max-sm:ml-0">adds {count(step.adds, "permission")} here</span>
          {#if step.role}
            <a class="link text-sm whitespace-nowrap" href={href.grant(step.scope.address, step.role, answer.principal)}>Prepare this grant</a>
          {:else if step.group}
            <a class="link text-sm whitespace-nowrap" href={href.group(step.group)}>Open the group</a>
          {:else if step.policy}
            <a class="link text-sm whitespace-nowrap" href={href.policy(step.policy.id)}>Open the policy</a>
          {/if}
        </li>
      {/each}
    </ul>
  </section>
{:else if answer.noStep}
  <p class="card mt-6 px-5 py-4" data-test="no-step">{answer.noStep}</p>
{/if}
