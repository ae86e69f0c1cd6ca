<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { FingerprintOutline } from "flowbite-svelte-icons";
  import { onMount } from "svelte";
  import { api, ask, asProblem, type Problem } from "../lib/api";
  import * as passkey from "../lib/passkey";
  import { session } from "../lib/session.svelte";
  import Field from "../parts/Field.svelte";
  import AuthLayout from "../parts/AuthLayout.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let name = $state("");
  let password = $state("");
  let code = $state("");
  let lost = $state(false); // the password is, and a letter is to be asked for
  let asked = $state(false);
  let wantsCode = $state(false); // the password is right, and there is a second factor
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
      session.begin(await ask(api.POST("/session", { body: { name: name.trim(), password, code: wantsCode ? code.trim() : undefined } })));
    } catch (caught) {
      const p = asProblem(caught);
      if (p.type === "urn:arbora:problem:code-needed") {
        wantsCode = true;
      } else {
        problem = p;
        if (!wantsCode) password = "";
      }
      code = "";
    } finally {
      busy = false;
    }
  }

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
    [lost, asked, problem, password] = [now, false, null, ""];
  }

  async function byPasskey() {
    busy = true;
    problem = null;
    try {
      const ceremony = await ask(api.POST("/session/passkey/options"));
      const answer = await passkey.get(ceremony.options);
      session.begin(await ask(api.POST("/session/passkey", { body: { token: ceremony.token, answer } })));
    } catch (caught) {
      if (!passkey.wasLeft(caught)) problem = asProblem(caught);
    } finally {
      busy = false;
    }
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
  {:else}
    <h1 class="text-2xl font-semibold tracking-tight">{wantsCode ? "One more thing" : "Sign in"}</h1>
    <form onsubmit={signIn} class="mt-6 space-y-5">
      {#if wantsCode}
        <p>Your account has a second factor.</p>
        <Field label="Code" name="code" {problem} hint="The one that your device shows now, or a recovery code.">
          {#snippet children(id)}<TextInput {id} name="code" bind:value={code} autocomplete="one-time-code" autocapitalize="none" required />{/snippet}
        </Field>
      {:else}
        <Field label="Name" name="name" {problem} hint="NAME@ORGANISATION, or a guest's mail address; a keeper writes NAME alone">
          {#snippet children(id)}<TextInput {id} name="name" bind:value={name} autocomplete="username" autocapitalize="none" placeholder="rowan@lindenmere" required />{/snippet}
        </Field>
        <Field label="Password" name="password" {problem}>
          {#snippet children(id)}<TextInput {id} name="password" type="password" bind:value={password} autocomplete="current-password" required />{/snippet}
        </Field>
      {/if}
      {#if problem && !problem.field}<ProblemNote {problem} />{/if}
      <Button type="submit" class="w-full" disabled={busy}>Sign in</Button>
      {#if wantsCode}
        <button type="button" class="link" onclick={() => ((wantsCode = false), (password = ""), (problem = null))}>Sign in as somebody else</button>
      {:else if passkey.supported()}
        <QuietButton type="button" class="w-full" onclick={byPasskey} disabled={busy}><FingerprintOutline class="me-2 h-4 w-4" />Sign in with a passkey</QuietButton>
      {/if}
      {#if !wantsCode}<button type="button" class="link text-sm" onclick={() => lose(true)}>I cannot sign in any more</button>{/if}
    </form>
  {/if}
</AuthLayout>
