<!-- What a change of the audit log did: of each thing, what it was before and what it was after. -->
<script lang="ts">
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { capital, href } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";

  let { number }: { number: number } = $props();
  let told = $state.raw<Schemas["AuditDetails"] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    const wanted = number;
    ask(api.GET("/organisations/{organisation}/audit-records/{number}", { params: { path: { organisation: session.organisation, number: wanted } } })).then(
      (answer) => wanted === number && (told = answer),
      (caught) => (problem = asProblem(caught)),
    );
  });
</script>

{#if problem}
  <ProblemNote {problem} />
{:else if told}
  <div class="rounded-lg bg-gray-50 px-4 py-3 dark:bg-gray-800/60" data-test="record-details">
    <p class="quiet text-sm">Record {told.record.number}, from {told.record.from}{#if told.revision}, revision {told.revision}{/if}</p>
    {#each told.things as thing (thing.what)}
      <h3 class="mt-3 text-sm font-semibold">{capital(thing.what)}{#if thing.address}{" "}<a class="link ml-2 font-normal" href={href.scope(thing.address)}>Open</a>{/if}</h3>
      <table class="w-full text-sm">
        <thead class="sr-only"><tr><th>Field</th><th>Before and after</th></tr></thead>
        <tbody>
          {#each thing.fields as f (f.field)}
            <tr class="align-baseline">
              <td class="quiet w-40 py-0.5 pr-4">{capital(f.field)}</td>
              <td class="py-0.5 whitespace-pre-wrap break-words">
                {#if f.before}<del class="text-copper-700 dark:text-copper-300">{f.before}</del>{/if}
                {#if f.before && f.after}<span class="quiet" aria-hidden="true"> → </span>{/if}
                {#if f.after}<ins class="no-underline">{f.after}</ins>{:else if !f.before}<span class="quiet">none</span>{:else}<span class="quiet"> → none</span>{/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    {/each}
  </div>
{/if}
