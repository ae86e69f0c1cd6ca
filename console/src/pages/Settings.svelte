<!-- What the organisation has decided for itself. -->
<script lang="ts">
  import { Button, Checkbox } from "flowbite-svelte";
  import { api, ask, asProblem, isOutdated, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import Field from "../parts/Field.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let settings = $state<Schemas["Settings"] | null>(null);
  let read = $state.raw<Schemas["Settings"] | null>(null); // as they were read
  let problem = $state.raw<Problem | null>(null);
  let said = $state("");

  const path = $derived({ organisation: session.organisation });

  async function load() {
    try {
      read = await ask(api.GET("/organisations/{organisation}/settings", { params: { path } }));
      settings = { ...read };
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

<Page title="Settings" lead="What {session.organisation} has decided for itself. What was granted before stays.">
  {#if said}<p role="status" class="mb-5 max-w-2xl rounded-lg bg-primary-100 px-4 py-2.5 font-semibold text-primary-900 dark:bg-primary-900 dark:text-primary-50">{said}</p>{/if}
  <p class="mb-5">The name, title, description and tags of the organisation are edited <a class="link" href={href.scope(session.organisation)}>on its own page</a>.</p>
  {#if settings}
    <form onsubmit={change} class="card max-w-2xl space-y-6 p-6">
      <Field label="API keys that anybody may have at a time" name="keysEach" {problem} hint="Two are enough to exchange one without a gap.">
        {#snippet children(id)}
          {#if settings}<input {id} name="keys-each" type="number" min="1" max="20" bind:value={settings.keysEach} class="w-24 field" />{/if}
        {/snippet}
      </Field>
      <Checkbox bind:checked={settings.secondFactor}>People with permissions to govern need a second factor or a passkey</Checkbox>
      <div class="space-y-2">
        <p class="label">Grants and statements to strangers</p>
        <Checkbox bind:checked={settings.forbidSignedIn}>Forbid them to signed-in, which is anyone with a session, known or not</Checkbox>
        <Checkbox bind:checked={settings.forbidPublic}>Forbid them to public, which is anyone at all</Checkbox>
        <p class="quiet text-sm">What is not forbidden still takes a confirmation each time.</p>
      </div>
      <Field label="Platform services that may act here" name="settings.services" {problem} hint="Names separated by spaces. Leave it empty to let all services act here.">
        {#snippet children(id)}
          <TextInput {id} name="services" bind:value={() => settings?.services?.join(" ") ?? "", (text) => settings && (settings.services = text.trim() ? text.trim().split(/[\s,]+/) : undefined)} placeholder="storage compute" />
        {/snippet}
      </Field>
      {#if problem && problem.field !== "keysEach" && problem.field !== "settings.services"}<ProblemNote {problem} />{/if}
      {#if authority.may("configure organisation")}<Button type="submit">Save</Button>{:else}<p class="quiet">Changing them takes the permission <em>configure organisation</em>.</p>{/if}
    </form>
  {:else if problem}
    <ProblemNote {problem} />
  {:else}
    <Skeleton rows={4} />
  {/if}
</Page>
