<!-- Lets a terminal in that waits with a code. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import Field from "../parts/Field.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let { params }: { params?: { code?: string } } = $props();

  let code = $state("");
  let device = $state.raw<Schemas["Device"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let said = $state("");

  $effect(() => {
    if (!params?.code) return;
    code = params.code;
    find();
  });

  async function find() {
    problem = null;
    try {
      device = await ask(api.POST("/device/reading", { body: { code } }));
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function decide(allow: boolean) {
    problem = null;
    try {
      await ask(api.POST("/device", { body: { code: device?.code ?? "", allow } }));
      said = allow ? "The terminal is signed in. You can close this page." : "The terminal is refused.";
      device = null;
      code = "";
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
</script>

<Page title="Let a terminal in" lead="It acts as you from then on, until its session ends or you revoke it on your account's page.">
  <div class="card max-w-xl space-y-4 p-6">
    {#if said}
      <p role="status" class="font-semibold">{said}</p>
    {:else if device}
      <p>A terminal waits with the code <strong class="font-mono">{device.code}</strong>:</p>
      <dl class="grid grid-cols-[8rem_1fr] gap-y-1">
        <dt class="quiet">Program</dt><dd>{device.agent}</dd>
        <dt class="quiet">It asks from</dt><dd class="font-mono">{device.from}</dd>
        <dt class="quiet">Since</dt><dd>{moment(device.askedAt)}</dd>
      </dl>
      <p>Is it yours, and does it show this code? Then let it in as <strong>{session.me?.name}</strong>.</p>
      {#if problem}<ProblemNote {problem} />{/if}
      <div class="flex gap-2">
        <Button onclick={() => decide(true)}>Let it in</Button>
        <QuietButton onclick={() => decide(false)}>Refuse it</QuietButton>
      </div>
    {:else}
      <form onsubmit={(e) => (e.preventDefault(), find())} class="space-y-4">
        <Field label="The code that the terminal shows" name="code" {problem}>
          {#snippet children(id)}<TextInput {id} name="device-code" bind:value={code} placeholder="WDJB-MJHT" autocomplete="off" class="font-mono" required />{/snippet}
        </Field>
        {#if problem && !problem.field}<ProblemNote {problem} />{/if}
        <Button type="submit" disabled={!code}>Find it</Button>
      </form>
    {/if}
  </div>
</Page>
