<!-- The changes that touched a scope, newest first. -->
<script lang="ts">
  import { api, ask, asProblem, type Problem, type Schemas, type Scope } from "../lib/api";
  import { capital, moment } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";

  let { scope, stale }: { scope: Scope; stale: unknown } = $props();

  let changes = $state.raw<Schemas["ScopeChange"][] | null>(null);
  let later = $state.raw<string | undefined>();
  let problem = $state.raw<Problem | null>(null);

  async function load(goOn?: string) {
    const shown = goOn ? (changes ?? []) : [];
    try {
      const list = await ask(api.GET("/scopes/{scope}/changes", { params: { path: { scope: scope.id }, query: { after: goOn, limit: 8 } } }));
      changes = [...shown, ...list.changes];
      later = list.next;
      problem = null;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    void [scope, stale];
    load();
  });
</script>

{#if problem?.status !== 403}
  <section aria-labelledby="changes-heading" class="mb-7" data-test="changes-here">
    <h2 id="changes-heading" class="mb-2 text-lg font-semibold">Last changes</h2>
    {#if problem}
      <ProblemNote {problem} />
    {:else if changes}
      <ol class="card">
        {#each changes as change (change.revision)}
          <li class="flex flex-wrap items-baseline gap-x-4 border-b border-gray-100 px-5 py-2.5 last:border-0 dark:border-gray-800">
            <span class="quiet w-36 shrink-0 text-sm whitespace-nowrap">{moment(change.at)}</span>
            <span class="min-w-0 flex-1 break-words">{#if change.what}{capital(change.what)}{:else}<span class="quiet">A change that reached beyond what you see</span>{/if}</span>
            <span class="quiet text-sm">{change.by}</span>
          </li>
        {:else}
          <li class="quiet px-5 py-3">Nothing was changed here yet.</li>
        {/each}
      </ol>
      {#if later}<QuietButton size="xs" class="mt-2" onclick={() => load(later)}>Earlier ones</QuietButton>{/if}
    {/if}
  </section>
{/if}
