<!-- Reads a directory, or a file of its entries, after showing what that would do. -->
<script lang="ts">
  import { Checkbox } from "flowbite-svelte";
  import { untrack } from "svelte";
  import { api, ask, type Schemas } from "../lib/api";
  import { summary } from "../lib/readings";
  import { session } from "../lib/session.svelte";
  import { capital } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Field from "./Field.svelte";
  import ReadingSteps from "./ReadingSteps.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), provider, ondone }: { open?: boolean; provider: string; ondone: (running: string) => void } = $props();

  let file = $state.raw<{ name: string; text: string } | null>(null);
  let found = $state.raw<Schemas["DirectoryReading"] | null>(null);
  let despite = $state(false);

  $effect(() => {
    if (!open) return;
    untrack(() => {
      file = found = null;
      despite = false;
    });
  });

  const path = $derived({ organisation: session.organisation, provider });
  const entries = $derived(file ? { file: file.text } : {});
  const empty = $derived(found?.people === 0);
  const held = $derived(found !== null && found.brakes.length > 0 && !despite);

  async function choose(event: Event) {
    const [chosen] = (event.currentTarget as HTMLInputElement).files ?? [];
    file = chosen ? { name: chosen.name, text: await chosen.text() } : null;
  }

  async function preview(): Promise<Impact> {
    found = null;
    found = await ask(api.POST("/organisations/{organisation}/providers/{provider}/directory/readings", { params: { path }, body: { ...entries, preview: true } }));
    return found.impact ?? null;
  }

  async function make() {
    const r = await ask(api.POST("/organisations/{organisation}/providers/{provider}/directory/readings", { params: { path }, body: { ...entries, despiteBrakes: despite || undefined } }));
    ondone(r.outcome === "running" ? r.id : "");
  }
</script>

<ChangeDialog bind:open title="Read the directory of {provider}" action="Read it now" size="md" ready={open} waits={found === null || held || empty} {preview} asks={() => entries} {make}>
  {#snippet children(problem)}
    {#if found}
      <p data-test="reading-found"><span class="font-semibold">{found.people === 1 ? "1 person" : `${found.people} people`} found:</span> {summary(found)}.</p>
      {#if found.steps.length > 0}<ReadingSteps of={found} />{/if}
      {#each found.brakes as brake (brake)}
        <p class="rounded-lg border border-copper-300 bg-copper-100 px-4 py-2 font-semibold dark:border-copper-700 dark:bg-copper-900/50" data-test="brake">{capital(brake)}.</p>
      {/each}
      {#if found.brakes.length > 0 && !empty}<Checkbox bind:checked={despite} name="despite-brakes">Read it all the same</Checkbox>{/if}
    {:else if !problem}
      <p class="quiet" role="status">Reading, to see what that would do …</p>
    {/if}
    <Field label="Entries from a file (optional)" name="file" {problem} hint="LDIF, in place of what the directory itself has.">
      {#snippet children(id)}<input {id} name="reading-file" type="file" accept=".ldif,text/plain" onchange={choose} class="field w-full" />{/snippet}
    </Field>
  {/snippet}
</ChangeDialog>
