<!-- Where a link from a letter leads: to choose a password, or to come in as a guest. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { push } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { remembered } from "../lib/remembered";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import Field from "../parts/Field.svelte";
  import PasswordInput from "../parts/PasswordInput.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import AuthLayout from "../parts/AuthLayout.svelte";

  let { params }: { params?: { token: string } } = $props();

  let link = $state.raw<Schemas["Link"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let dead = $state.raw<Problem | null>(null);
  let done = $state(false);
  let title = $state("");
  let password = $state("");
  let again = $state("");

  const token = $derived(params?.token ?? "");
  const invitation = $derived(link?.purpose === "invitation");
  const differs = $derived(again !== "" && again !== password);

  $effect(() => {
    link = dead = problem = null;
    ask(api.POST("/links/reading", { body: { token } })).then(
      (found) => ((link = found), (title = found.title === found.signIn ? "" : found.title)),
      (caught) => (dead = asProblem(caught)),
    );
  });

  async function choose(event: Event) {
    event.preventDefault();
    problem = null;
    try {
      await ask(api.POST("/links/use", { body: { token, password, title: title || undefined } }));
      password = again = "";
      remembered.name = link?.signIn ?? remembered.name;
      done = true;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function accept() {
    problem = null;
    try {
      const accepted = await ask(api.POST("/session/invitation", { body: { token } }));
      session.begin(await ask(api.PUT("/session/organisation", { body: { organisation: accepted.organisation } })));
      push("/");
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  // signIn leaves for the sign-in page, which comes back here: the link stays in the address.
  let signingIn = $state(false);
</script>

<svelte:head><title>{invitation ? "You are invited" : "Choose your password"} · Arbora</title></svelte:head>

<AuthLayout>
  {#if dead}
    <h1 class="mb-4 text-2xl font-semibold tracking-tight">This link does not open</h1>
    <ProblemNote problem={dead} />
    <p class="mt-6"><a class="link" href="#/">Go to the sign-in page</a></p>
  {:else if !link}
    <p class="quiet">Reading the link …</p>
  {:else if done}
    <h1 class="text-2xl font-semibold tracking-tight">{invitation ? `Welcome to ${link.organisationTitle}` : "Your password is chosen"}</h1>
    <p class="mt-3">Sign in as <strong class="break-all">{link.signIn}</strong>.</p>
    <p class="mt-6"><Button href="#/">Sign in</Button></p>
  {:else}
    <h1 class="text-2xl font-semibold tracking-tight">{invitation ? "You are invited" : "Choose your password"}</h1>
    <p class="mt-2">
      {#if invitation}<strong>{link.by}</strong> invites <strong class="break-all">{link.signIn}</strong> to work with <strong>{link.organisationTitle || link.organisation}</strong> as a guest.
      {:else}For <strong class="break-all">{link.signIn}</strong>{link.organisation ? `, at ${link.organisationTitle || link.organisation}` : ""}.{/if}
    </p>
    <p class="quiet mt-1 mb-6 text-sm">The link works once, until {moment(link.until)}.</p>
    {#if invitation && session.me && !session.me.keeper}
      {#if problem}<div class="mb-4"><ProblemNote {problem} /></div>{/if}
      <Button onclick={accept}>Accept as {session.me.name}</Button>
    {:else if link.known || signingIn}
      <p>Sign in first, then open the link once more: you accept as who you are.</p>
      <p class="mt-5"><Button href="#/">Sign in</Button></p>
    {:else}
      <form onsubmit={choose} class="space-y-5">
        {#if invitation}
          <Field label="Your name" name="title" {problem} hint="As others here will read it.">
            {#snippet children(id)}<TextInput {id} name="title" bind:value={title} autocomplete="name" />{/snippet}
          </Field>
        {/if}
        <Field label="Password" name="password" {problem} hint="At least 15 characters; four or five unrelated words do well.">
          {#snippet children(id)}<PasswordInput {id} name="password" bind:value={password} autocomplete="new-password" required />{/snippet}
        </Field>
        <Field label="Password once more" name="again" problem={differs ? { type: "", title: "", status: 0, detail: "the two differ", field: "again" } : null}>
          {#snippet children(id)}<PasswordInput {id} name="again" bind:value={again} autocomplete="new-password" required />{/snippet}
        </Field>
        {#if problem && !problem.field}<ProblemNote {problem} />{/if}
        <div class="flex flex-wrap gap-2">
          <Button type="submit" disabled={differs || !again}>{invitation ? "Accept" : "Save password"}</Button>
          {#if invitation}<QuietButton type="button" onclick={() => (signingIn = true)}>I have an account here already</QuietButton>{/if}
        </div>
      </form>
    {/if}
  {/if}
</AuthLayout>
