<!-- What the organisation has decided for itself. -->
<script lang="ts">
  import { Button, Checkbox } from "flowbite-svelte";
  import { api, ask, asProblem, isOutdated, type Problem, type Schemas } from "../lib/api";
  import { asking, typing } from "../lib/asking";
  import { authority } from "../lib/authority.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { href, quotas, thousands } from "../lib/words";
  import Term from "../parts/Term.svelte";
  import DemandFields from "../parts/DemandFields.svelte";
  import Field from "../parts/Field.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import WordsLine from "../parts/WordsLine.svelte";

  let settings = $state<Schemas["Settings"] | null>(null);
  let read = $state.raw<Schemas["Settings"] | null>(null); // as they were read
  let problem = $state.raw<Problem | null>(null);
  let bounds = $state.raw<Schemas["QuotasShown"] | null>(null);
  let said = $state("");
  let impact = $state.raw<Schemas["Impact"] | null>(null);
  const shown = ["keysEach", "settings.services", "settings.everybody", "settings.governing"]; // said beside their fields

  const path = $derived({ organisation: session.organisation });

  async function load() {
    try {
      read = await ask(api.GET("/organisations/{organisation}/settings", { params: { path } }));
      settings = { ...read };
      bounds = await ask(api.GET("/organisations/{organisation}/quotas", { params: { path } }));
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    authority.load();
    load();
  });
  // What somebody else decided is shown at once, unless something was altered here: then saving tells of it.
  whenChanged(() => {
    if (JSON.stringify(settings) === JSON.stringify(read)) load();
  }, () => ({ kinds: [] }));

  // Whom a demand would keep waiting is told before it is made.
  $effect(() => {
    const wanted = $state.snapshot(settings);
    if (!wanted || JSON.stringify(wanted) === JSON.stringify(read) || !authority.may("configure organisation")) {
      impact = null;
      return;
    }
    return asking(
      () => ask(api.PUT("/organisations/{organisation}/settings", { params: { path, query: { preview: true } }, body: { settings: wanted } })),
      (written) => ([impact, problem] = [written.impact ?? null, null]),
      (caught) => ([impact, problem] = [null, caught]),
      typing,
    );
  });

  async function change(event: Event) {
    event.preventDefault();
    if (!settings) return;
    problem = null;
    said = "";
    try {
      await ask(api.PUT("/organisations/{organisation}/settings", { params: { path }, body: { settings, was: read ?? undefined } }));
      said = "The settings are changed.";
      read = { ...settings };
    } catch (caught) {
      problem = asProblem(caught);
      if (isOutdated(caught)) await load(); // theirs are shown, and can be altered
    }
  }
</script>

<Page title="Settings" lead="They hold for all of {session.organisation}. Grants made before stay as they are.">
  {#if said}<p role="status" class="mb-5 max-w-2xl rounded-lg bg-primary-100 px-4 py-2.5 font-semibold text-primary-900 dark:bg-primary-900 dark:text-primary-50">{said}</p>{/if}
  <p class="mb-5">The name, title, description and tags of the organisation are edited <a class="link" href={href.scope(session.organisation)}>on its own page</a>.</p>
  {#if settings}
    <form onsubmit={change} class="card max-w-2xl space-y-6 p-6">
      <Field label="API keys that anybody may have at a time" name="keysEach" {problem} hint="Two are enough to exchange one without a gap.">
        {#snippet children(id)}
          {#if settings}<input {id} name="keys-each" type="number" min="1" max="20" bind:value={settings.keysEach} class="w-24 field" />{/if}
        {/snippet}
      </Field>
      <div class="space-y-2">
        <p class="label">Grants and statements to strangers</p>
        <Checkbox bind:checked={settings.forbidSignedIn}>Forbid them to signed-in, which is anyone with a session, known or not</Checkbox>
        <Checkbox bind:checked={settings.forbidPublic}>Forbid them to public, which is anyone at all</Checkbox>
        <p class="quiet text-sm">What is not forbidden still takes a confirmation each time.</p>
      </div>
      <Field label="Platform services that may act here" name="settings.services" {problem} hint="Names separated by spaces. Leave it empty to let all services act here.">
        {#snippet children(id)}
          <WordsLine {id} name="services" words={settings?.services ?? []} onchange={(names) => settings && (settings.services = names.length > 0 ? names : undefined)} placeholder="storage compute" />
        {/snippet}
      </Field>
      <DemandFields bind:demands={settings.everybody} level="everybody" legend="Required of everybody who works here" {problem} />
      <DemandFields bind:demands={settings.governing} level="governing" legend="Required of people who may govern, besides" {problem} />
      {#if impact}{#each impact.warnings as warning (warning)}<p role="status" class="rounded-lg border border-copper-300 bg-copper-100 px-4 py-2.5 text-copper-900 dark:border-copper-700 dark:bg-copper-900/50 dark:text-copper-100">{warning}</p>{/each}{/if}
      {#if problem && !shown.includes(problem.field ?? "")}<ProblemNote {problem} />{/if}
      {#if authority.may("configure organisation")}<Button type="submit">Save</Button>{:else}<p class="quiet">To change them you need the permission <em>configure organisation</em>.</p>{/if}
    </form>
    {#if bounds}
      <section class="card mt-6 max-w-2xl p-6" aria-labelledby="quotas-heading">
        <h2 id="quotas-heading" class="mb-1 text-lg font-semibold"><Term word="quota" shown="Quotas" /></h2>
        <p class="quiet mb-3">Keepers of this installation set them. Ask one if you need more.</p>
        <ul class="divide-y divide-gray-100 dark:divide-gray-800" data-test="quotas">
          {#each quotas as { key, words } (key)}
            <li class="flex justify-between gap-4 py-2">
              <span>{words}</span>
              <span class="text-right">{bounds.has[key] === undefined ? "" : thousands(bounds.has[key]) + " of "}{thousands(bounds.most[key])}</span>
            </li>
          {/each}
        </ul>
      </section>
    {/if}
  {:else if problem}
    <ProblemNote {problem} />
  {:else}
    <Skeleton rows={4} />
  {/if}
</Page>
