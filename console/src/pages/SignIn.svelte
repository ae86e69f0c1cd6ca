<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { onMount } from "svelte";
  import { api, ask, asProblem, type Problem } from "../lib/api";
  import { remembered } from "../lib/remembered";
  import { session } from "../lib/session.svelte";
  import Field from "../parts/Field.svelte";
  import AuthLayout from "../parts/AuthLayout.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import ProviderChoice from "../parts/ProviderChoice.svelte";
  import SignInForm from "../parts/SignInForm.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let name = $state(remembered.name);
  // refused says why somebody who came back from an identity provider was not let in; "" for nothing to tell.
  let { refused = "" }: { refused?: string } = $props();

  let outside = $state(false); // by the identity provider of one's own organisation
  let lost = $state(false); // the password is, and a letter is to be asked for
  let asked = $state(false);
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

  async function recover(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      await ask(api.POST("/recovery", { body: { address: name.trim() } }));
      asked = true;
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }

  function lose(now: boolean) {
    [lost, asked, problem] = [now, false, null];
  }
</script>

<svelte:head><title>Sign in · Arbora</title></svelte:head>

<AuthLayout>
  {#if empty}
    <h1 class="text-2xl font-semibold tracking-tight">Nobody has set this service up yet</h1>
    <p class="mt-3">Run this on the host that keeps its records, then come back:</p>
    <pre class="address mt-3 overflow-x-auto rounded-lg bg-gray-900 px-4 py-3 text-gray-50 dark:bg-gray-950">arbora init --keeper NAME \
  --organisation NAME --steward NAME</pre>
    <p class="quiet mt-3">It makes the first keeper and, if you name one, an organisation with its first steward.</p>
  {:else if lost}
    <h1 class="text-2xl font-semibold tracking-tight">Choose another password</h1>
    {#if asked}
      <p class="mt-4" role="status">If <strong class="break-all">{name}</strong> is a guest's account, a letter is on its way. Its link works for a day.</p>
    {:else}
      <p class="mt-4">A guest gets a link by mail. If you belong to an organisation, ask one of its administrators to reset your password.</p>
      <form onsubmit={recover} class="mt-5 space-y-5">
        <Field label="Your mail address" name="address" {problem}>
          {#snippet children(id)}<TextInput {id} name="address" type="email" bind:value={name} autocomplete="username" autocapitalize="none" required />{/snippet}
        </Field>
        {#if problem && !problem.field}<ProblemNote {problem} />{/if}
        <Button type="submit" class="w-full" disabled={busy || !name}>Send me a link</Button>
      </form>
    {/if}
    <p class="mt-5"><button type="button" class="link" onclick={() => lose(false)}>Back to signing in</button></p>
  {:else if outside}
    <h1 class="text-2xl font-semibold tracking-tight">Sign in by your own organisation</h1>
    <div class="mt-4"><ProviderChoice /></div>
    <p class="mt-5"><button type="button" class="link" onclick={() => (outside = false)}>Sign in with a name and password</button></p>
  {:else}
    <h1 class="text-2xl font-semibold tracking-tight">Sign in</h1>
    {#if refused}<div class="mt-5 rounded-lg border border-copper-300 bg-copper-100 px-4 py-3 dark:border-copper-700 dark:bg-copper-900/50" role="alert" data-test="refused">{refused}</div>{/if}
    <div class="mt-6"><SignInForm onoutside={() => (outside = true)} bind:name begun={(me) => session.begin(me)} onlost={() => lose(true)} /></div>
  {/if}
</AuthLayout>
