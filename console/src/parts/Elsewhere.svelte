<!-- The other organisations that know whoever is signed in; nothing when there is none. -->
<script lang="ts">
  import { asProblem, type Problem, type Schemas } from "../lib/api";
  import { seats, workIn } from "../lib/seats";
  import ProblemNote from "./ProblemNote.svelte";

  let others = $state.raw<Schemas["Seat"][]>([]);
  let problem = $state.raw<Problem | null>(null);

  const fail = (caught: unknown) => (problem = asProblem(caught));
  $effect(() => {
    seats().then((all) => (others = all.filter((seat) => !seat.here)), fail);
  });
</script>

{#if problem}<ProblemNote {problem} />{/if}
{#if others.length > 0}
  <section aria-labelledby="elsewhere-heading" class="mt-6">
    <h2 id="elsewhere-heading" class="mb-2 text-lg font-semibold">Other organisations that know you</h2>
    <ul class="card" data-test="elsewhere">
      {#each others as seat (seat.organisation)}
        <li class="flex items-center gap-3 border-b border-gray-100 px-4 py-2.5 last:border-0 dark:border-gray-800">
          <span class="font-semibold">{seat.title || seat.organisation}</span> <span class="quiet">as a {seat.kind}</span>
          <button type="button" class="link ml-auto" onclick={() => workIn(seat.organisation).catch(fail)}>Work there</button>
        </li>
      {/each}
    </ul>
  </section>
{/if}
