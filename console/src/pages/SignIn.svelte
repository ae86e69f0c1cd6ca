<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { onMount } from "svelte";
  import { api, ask, asProblem, type Problem } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import Field from "../parts/Field.svelte";
  import Threshold from "../parts/Threshold.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let name = $state("");
  let password = $state("");
  let problem = $state.raw<Problem | null>(null);
  let empty = $state(false);
  let busy = $state(false);

  onMount(async () => {
    try {
      empty = (await ask(api.GET("/status"))).empty;
    } catch (caught) {
      problem = asProblem(caught);
    }
  });

  async function signIn(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      session.begin(await ask(api.POST("/session", { body: { name: name.trim(), password } })));
    } catch (caught) {
      problem = asProblem(caught);
      password = "";
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>Sign in · Arbora</title></svelte:head>

<Threshold>
  {#if empty}
    <h1 class="text-2xl font-semibold tracking-tight">Nobody has set this service up yet</h1>
    <p class="mt-3">Run this on the host that keeps its records, then come back:</p>
    <pre class="address mt-3 overflow-x-auto rounded-lg bg-gray-900 px-4 py-3 text-gray-50 dark:bg-gray-950">arbora init --keeper NAME \
  --organisation NAME --steward NAME</pre>
    <p class="quiet mt-3">It makes the first keeper and, if you name one, an organisation with its first steward.</p>
  {:else}
    <h1 class="text-2xl font-semibold tracking-tight">Sign in</h1>
    <form onsubmit={signIn} class="mt-6 space-y-5">
      <Field label="Name" name="name" {problem} hint="NAME@ORGANISATION; a keeper writes NAME alone">
        {#snippet children(id)}<TextInput {id} name="name" bind:value={name} autocomplete="username" autocapitalize="none" placeholder="rowan@lindenmere" required />{/snippet}
      </Field>
      <Field label="Password" name="password" {problem}>
        {#snippet children(id)}<TextInput {id} name="password" type="password" bind:value={password} autocomplete="current-password" required />{/snippet}
      </Field>
      {#if problem && !problem.field}<ProblemNote {problem} />{/if}
      <Button type="submit" class="w-full" disabled={busy}>Sign in</Button>
    </form>
  {/if}
</Threshold>
