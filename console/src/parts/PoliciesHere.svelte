<!-- The policies that reach a scope: its own, and those above with where they stand. -->
<script lang="ts">
  import { asProblem, type Problem, type Schemas, type Scope } from "../lib/api";
  import { policies as policiesOf } from "../lib/directory";
  import { count, href } from "../lib/words";
  import Term from "./Term.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import StateMark from "./StateMark.svelte";

  let { scope }: { scope: Scope } = $props();

  let policies = $state.raw<Schemas["Policy"][] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    policiesOf(scope.id).then(
      (found) => ((policies = found), (problem = null)),
      (caught) => ((problem = asProblem(caught)), (policies = null)),
    );
  });

  // Of a policy from above, only the statements that hold here are of interest.
  function reaching(policy: Schemas["Policy"]): Schemas["Statement"][] {
    return policy.statements.filter((s) => !s.dormant && !s.suspended && (s.here ? s.place.id === scope.id : scope.path.some((p) => p.id === s.place.id)));
  }
  const shown = $derived((policies ?? []).filter((p) => !p.inherited || reaching(p).length > 0));
</script>

{#if problem?.status !== 403}
  <section aria-labelledby="policies-heading" class="mb-7" data-test="policies-here">
    <div class="mb-2 flex items-baseline gap-4">
      <h2 id="policies-heading" class="text-lg font-semibold"><Term word="policy" shown="Policies" /> that reach here</h2>
      {#if scope.may.includes("create policy")}<a class="link text-sm" href={href.newPolicy(scope.address)}>Create a policy</a>{/if}
    </div>
    {#if problem}
      <ProblemNote {problem} />
    {:else if policies}
      {#if shown.length === 0}
        <p class="card quiet px-5 py-3">None: no statement cuts, caps or gives anything here.</p>
      {:else}
        <ul class="card">
          {#each shown as policy (policy.id)}
            <li class="border-b border-gray-100 px-5 py-3 last:border-0 dark:border-gray-800">
              <p class="flex flex-wrap items-baseline gap-x-3">
                <a class="link font-semibold" href={href.policy(policy.id)}>{policy.name}</a>
                {#if policy.inherited}
                  <span class="quiet">from <a class="link" href={href.scope(policy.scope.address)} title={policy.scope.address}>{policy.scope.name}</a></span>
                {:else}
                  <span class="quiet">written here</span>
                {/if}
                {#if policy.suspended}<StateMark state="suspended" says="it decides nothing until it is resumed" />{/if}
                {#if policy.description}<span class="quiet">{policy.description}</span>{/if}
              </p>
              {#each policy.inherited ? reaching(policy) : policy.statements as statement (statement.number)}
                <p class="mt-1"><code class="statement">{statement.text}</code>{#if statement.place.id !== scope.id && !policy.inherited}&ensp;<span class="quiet text-sm">at {statement.place.name}</span>{/if}</p>
              {/each}
              {#if !policy.inherited && policy.hidden}<p class="quiet mt-1 text-sm">There are more statements that you may not see.</p>{/if}
            </li>
          {/each}
        </ul>
      {/if}
    {/if}
  </section>
{/if}
