<!-- Sets up a second factor: a picture for the device, its first code, and recovery codes that are shown this once. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { save } from "../lib/download";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import TextInput from "./TextInput.svelte";

  let { ondone }: { ondone: () => void } = $props();

  let seed = $state.raw<Schemas["FactorSeed"] | null>(null);
  let code = $state("");
  let codes = $state.raw<string[] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  async function begin() {
    problem = null;
    try {
      seed = await ask(api.POST("/profile/second-factor"));
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function confirm(event: Event) {
    event.preventDefault();
    problem = null;
    try {
      codes = (await ask(api.PUT("/profile/second-factor", { body: { code } }))).codes;
    } catch (caught) {
      problem = asProblem(caught);
      code = "";
    }
  }
</script>

{#if codes}
  <p class="font-semibold">Your second factor is set up.</p>
  <p class="mt-2">Keep these recovery codes where you find them without your device. Each stands in once for a code of it; they are shown this once.</p>
  <ul class="my-4 grid grid-cols-[repeat(auto-fill,minmax(17rem,1fr))] gap-x-6 gap-y-1 rounded-lg bg-gray-100 px-5 py-4 font-mono whitespace-nowrap max-sm:px-3 max-sm:text-sm dark:bg-gray-800" data-test="recovery-codes">
    {#each codes as c (c)}<li>{c}</li>{/each}
  </ul>
  <div class="flex gap-2">
    <QuietButton onclick={() => navigator.clipboard.writeText((codes ?? []).join("\n"))}>Copy them</QuietButton>
    <QuietButton onclick={() => save("arbora-recovery-codes.txt", "text/plain", (codes ?? []).join("\n") + "\n")}>Save them</QuietButton>
    <Button onclick={ondone}>I have kept them</Button>
  </div>
{:else if seed}
  <form onsubmit={confirm} class="space-y-4">
    <p>Show this to the program for one-time codes on your device:</p>
    <img src={seed.picture} alt="QR code with the seed {seed.seed}" class="h-48 w-48 rounded-lg border border-gray-200 bg-white p-1 dark:border-gray-700" data-test="qr" />
    <p class="quiet text-sm">No camera? Type <span class="font-mono font-semibold break-all text-gray-900 dark:text-gray-100" data-test="seed">{seed.seed}</span> there.</p>
    <Field label="The code that it shows" name="code" {problem}>
      {#snippet children(id)}<TextInput {id} name="first-code" bind:value={code} autocomplete="one-time-code" inputmode="numeric" required />{/snippet}
    </Field>
    {#if problem && !problem.field}<ProblemNote {problem} />{/if}
    <Button type="submit" disabled={!code}>Confirm</Button>
  </form>
{:else}
  {#if problem}<div class="mb-4"><ProblemNote {problem} /></div>{/if}
  <Button onclick={begin}>Set up a second factor</Button>
{/if}
