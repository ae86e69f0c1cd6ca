<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import Field from "../parts/Field.svelte";
  import Page from "../parts/Page.svelte";
  import PasswordForm from "../parts/PasswordForm.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let title = $state(session.me?.title ?? "");
  let email = $state(session.me?.email ?? "");
  let problem = $state.raw<Problem | null>(null);
  let said = $state("");

  async function save(event: Event) {
    event.preventDefault();
    problem = null;
    said = "";
    try {
      session.begin(await ask(api.PATCH("/profile", { body: { title, email } })));
      said = "Your profile is saved.";
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
</script>

<Page title="Your account" lead={`${session.me?.name}, signed in until ${moment(session.me?.endsAt ?? "")} at the latest unless you go on working`}>
  {#if said}<p role="status" class="mb-5 rounded-lg bg-primary-100 px-4 py-2.5 font-semibold text-primary-900 dark:bg-primary-900 dark:text-primary-50">{said}</p>{/if}
  <div class="grid grid-cols-2 items-start gap-6 max-md:grid-cols-1">
    {#if !session.me?.keeper}
      <section class="card p-6">
        <h2 class="mb-4 text-lg font-semibold">Profile</h2>
        <form onsubmit={save} class="space-y-5">
          <Field label="Display name" name="title" {problem}>
            {#snippet children(id)}<TextInput {id} name="title" bind:value={title} required />{/snippet}
          </Field>
          <Field label="Email (optional)" name="email" {problem}>
            {#snippet children(id)}<TextInput {id} name="email" type="email" bind:value={email} />{/snippet}
          </Field>
          {#if problem && !problem.field}<ProblemNote {problem} />{/if}
          <Button type="submit">Save</Button>
        </form>
      </section>
    {/if}
    <section class="card p-6">
      <h2 class="mb-4 text-lg font-semibold">Password</h2>
      <PasswordForm ondone={() => (said = "Your password is changed; your other sessions have ended.")} />
    </section>
  </div>
</Page>
