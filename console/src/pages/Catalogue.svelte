<!-- The catalogue: each service with its types, what they sit in, and what can be done to them on which plane. -->
<script lang="ts">
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { catalogueOf } from "../lib/catalogue";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import RoleGrid from "../parts/RoleGrid.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let catalogue = $state.raw<Schemas["Catalogue"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const wanted = new QueryParam("find");

  $effect(() => {
    catalogueOf(session.organisation).then(
      (found) => (catalogue = found),
      (caught) => (problem = asProblem(caught)),
    );
  });

  const shown = $derived.by(() => {
    const words = wanted.value.toLowerCase().split(/\s+/).filter(Boolean);
    const has = (text: string) => words.every((w) => text.toLowerCase().includes(w));
    return (catalogue?.services ?? []).flatMap((s) => {
      if (has(`${s.name} ${s.title} ${s.description}`)) return [s];
      const types = s.types.filter((t) => has(`${t.name} ${t.title} ${t.description} ${t.operations.map((o) => o.operation).join(" ")}`));
      return types.length > 0 ? [{ ...s, types }] : [];
    });
  });
</script>

<Page title="Catalogue" lead="All services, the types of their resources, and what can be done to each.">
  {#if problem}
    <ProblemNote {problem} />
  {:else if !catalogue}
    <Skeleton rows={10} />
  {:else}
    <div class="mb-4 flex items-center gap-4">
      <div class="w-72"><TextInput type="search" bind:value={wanted.value} placeholder="A service, a type, an operation" aria-label="Filter the catalogue" /></div>
      <span class="quiet">{count(shown.length, "service")}, {count(shown.reduce((n, s) => n + s.types.length, 0), "type")}</span>
    </div>
    {#each shown as service (service.name)}
      <section class="mb-7" aria-labelledby="service-{service.name}" data-test="service">
        <h2 id="service-{service.name}" class="text-lg font-semibold">{service.title} <span class="quiet address font-normal">{service.name}</span></h2>
        <p class="quiet mb-2">{service.description}</p>
        <ul class="mb-2 flex flex-wrap gap-x-6 gap-y-0.5 text-sm">
          {#each service.types as type (type.name)}
            <li title={type.description}><strong>{type.name}</strong>{#if type.parents.length > 0}{" "}<span class="quiet">in {type.parents.join(", ")}{type.registered ? "" : "; no scope of its own"}</span>{/if}</li>
          {/each}
        </ul>
        <RoleGrid operations={service.types.flatMap((t) => t.operations)} label="What can be done in {service.title}" services={false} />
      </section>
    {:else}
      <p class="card quiet px-5 py-4">Nothing of that name.</p>
    {/each}
  {/if}
</Page>
