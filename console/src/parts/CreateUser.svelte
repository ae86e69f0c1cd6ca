<script lang="ts">
  import { Button, Checkbox, Modal } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import TextInput from "./TextInput.svelte";
  import QuietButton from "./QuietButton.svelte";

  let { open = $bindable(false), ondone }: { open?: boolean; ondone: () => void } = $props();

  let name = $state("");
  let title = $state("");
  let email = $state("");
  let description = $state("");
  let password = $state("");
  let temporary = $state(true);
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  let made = $state.raw<Schemas["UserMade"] | null>(null);
  let copied = $state(false);

  $effect(() => {
    if (open) {
      name = title = email = description = password = "";
      temporary = true;
      problem = made = null;
      copied = false;
    }
  });

  async function create(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      const body = {
        name,
        title: title || undefined,
        email: email || undefined,
        description: description || undefined,
        password: password || undefined,
        temporary,
      };
      const answer = await ask(api.POST("/organisations/{organisation}/users", { params: { path: { organisation: session.organisation } }, body }));
      if ("user" in answer) made = answer;
      password = "";
      ondone();
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }

  async function copy() {
    await navigator.clipboard.writeText(`${made?.signIn}\n${made?.password}`);
    copied = true;
  }
</script>

<Modal bind:open size="md" title={made ? "Created" : "Create a user"}>
  {#if made}
    <div data-test="user-made">
      <p>{made.user.title} signs in at <span class="address">{location.origin}</span> as</p>
      <p class="mt-1 font-mono text-lg font-semibold">{made.signIn}</p>
      {#if made.password}
        <p class="mt-4">with this password, which is shown this once:</p>
        <p class="mt-1 rounded-lg bg-gray-100 px-4 py-3 font-mono text-lg font-semibold dark:bg-gray-900" data-test="generated">{made.password}</p>
      {/if}
      {#if temporary}<p class="quiet mt-2">It must be replaced at the first sign-in.</p>{/if}
      <p class="quiet mt-4">
        {made.user.name} holds nothing yet: all is denied until a grant or a group gives access.
        <a class="link" href={href.user(made.user.name)} onclick={() => (open = false)}>Open the person's page</a>
      </p>
    </div>
    <div class="flex justify-end gap-2">
      {#if made.password}<QuietButton onclick={copy}>{copied ? "Copied" : "Copy name and password"}</QuietButton>{/if}
      <Button onclick={() => (open = false)}>Done</Button>
    </div>
  {:else}
    <form onsubmit={create} class="space-y-5">
      <div class="grid grid-cols-2 gap-5 max-sm:grid-cols-1">
        <Field label="Name" name="name" {problem} hint={`Signs in as ${name || "NAME"}@${session.organisation}`}>
          {#snippet children(id)}<TextInput {id} name="user-name" bind:value={name} autocomplete="off" required />{/snippet}
        </Field>
        <Field label="Display name" name="title" {problem}>
          {#snippet children(id)}<TextInput {id} name="user-title" bind:value={title} autocomplete="off" />{/snippet}
        </Field>
        <Field label="Email (optional)" name="email" {problem}>
          {#snippet children(id)}<TextInput {id} name="user-email" bind:value={email} autocomplete="off" />{/snippet}
        </Field>
        <Field label="About (optional)" name="description" {problem}>
          {#snippet children(id)}<TextInput {id} name="user-about" bind:value={description} autocomplete="off" />{/snippet}
        </Field>
      </div>
      <Field label="Password" name="password" {problem} hint="Left empty, one is generated and shown once.">
        {#snippet children(id)}<TextInput {id} name="user-password" type="password" bind:value={password} autocomplete="new-password" />{/snippet}
      </Field>
      <Checkbox bind:checked={temporary}>Temporary: another must be chosen at the first sign-in</Checkbox>
      {#if problem && !problem.field}<ProblemNote {problem} />{/if}
      <div class="flex justify-end gap-2">
        <QuietButton type="button" onclick={() => (open = false)}>Cancel</QuietButton>
        <Button type="submit" disabled={busy || !name} data-test="confirm-user">Create</Button>
      </div>
    </form>
  {/if}
</Modal>
