<!-- A program run on a machine as its service account, or a lab's notebook run as the labs service. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { asProblem, type Problem } from "../lib/api";
  import { loam, type Ran, type Resource } from "../lib/loam.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";

  let { resource }: { resource: Resource } = $props();

  let text = $state("");
  let ran = $state.raw<Ran | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const id = $props.id();
  const lab = $derived(resource.type === "lab");
  const may = (operation: string) => resource.acts.find((a) => a.operation === operation)?.on ?? false;

  async function tried(what: () => Promise<void>) {
    problem = null;
    try {
      await what();
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  $effect(() => {
    if (lab && may("read")) tried(async () => void (text = (await loam.act<{ text: string }>(resource.address, "read")).text));
  });

  const write = () => tried(async () => void (await loam.act(resource.address, "write", { text })));
  const lines = () => text.split("\n").map((l) => l.trim()).filter(Boolean);
  const run = () => tried(async () => void (ran = await loam.act<Ran>(resource.address, lab ? "run" : "enter", lab ? {} : { program: lines() })));
</script>

<label class="label" for={id}>{lab ? "The notebook" : "A program, a line for each step"}</label>
<textarea {id} bind:value={text} rows="4" spellcheck="false" placeholder="fetch ADDRESS.bucket/OBJECT"
  class="statement w-full field"
></textarea>
<p class="quiet mb-2 text-sm">
  Steps are list, fetch, put and erase with a bucket's address, query and amend with a database's. It acts as {lab ? "the labs service" : "the machine's service account"}, not as you.
</p>
<div class="flex gap-2">
  {#if lab && may("write")}<QuietButton size="sm" onclick={write}>Write it</QuietButton>{/if}
  <Button size="sm" onclick={run} disabled={lab ? !may("run") : lines().length === 0}>Run it</Button>
</div>
{#if problem}<div class="mt-3"><ProblemNote {problem} /></div>{/if}
{#if ran}
  <p class="mt-3 font-semibold">Ran as {ran.as}</p>
  <ol class="mt-1 space-y-1" data-test="ran">
    {#each ran.steps as step, i (i)}
      <li class="rounded-lg border px-3 py-2 {step.refused ? 'border-copper-300 dark:border-copper-700' : 'border-gray-200 dark:border-gray-700'}">
        <code class="statement">{step.line}</code>
        {#if step.refused}<p class="text-copper-700 dark:text-copper-300">Refused: {step.refused}.</p>{:else if step.output}<pre class="statement mt-1 whitespace-pre-wrap">{step.output}</pre>{:else}<p class="quiet">Done.</p>{/if}
      </li>
    {/each}
  </ol>
{/if}
