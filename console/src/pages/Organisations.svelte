<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { organisations } from "../lib/directory";
  import { focus } from "../lib/focus";
  import { Kept } from "../lib/kept.svelte";
  import { labelled } from "../lib/labelled";
  import { moment } from "../lib/words";
  import Field from "../parts/Field.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import KeptNotice from "../parts/KeptNotice.svelte";
  import QuotaDialog from "../parts/QuotaDialog.svelte";
  import type { Result } from "../parts/ResultCard.svelte";
  import SecretDialog from "../parts/SecretDialog.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import QuietButton from "../parts/QuietButton.svelte";

  let list = $state.raw<Schemas["Organisation"][] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let creating = $state(false);
  let bounding = $state(false);
  let bounded = $state("");
  let name = $state("");
  let title = $state("");
  let steward = $state("");
  let createProblem = $state.raw<Problem | null>(null);
  let told = $state.raw<Result | null>(null);

  async function load() {
    try {
      list = await organisations();
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });

  const kept = new Kept(
    () => ({ name, title, steward }),
    (written) => ({ name, title, steward } = written),
  );

  function cancel() {
    kept.drop();
    creating = false;
  }

  const passwordOf = (organisation: string, signIn: string, password: string): Result => ({
    title: `The first steward of ${organisation} can sign in`,
    facts: [
      { name: "Signs in as", key: "signIn", value: signIn },
      { name: "Password", key: "password", value: password, secret: true, note: "to be replaced at the first sign-in" },
    ],
    file: "arbora-" + organisation,
  });

  // Until the first steward has signed in, a password that was lost can be replaced.
  async function reissue(organisation: string) {
    problem = null;
    try {
      const made = await ask(api.POST("/organisations/{organisation}/first-password", { params: { path: { organisation } } }));
      told = passwordOf(organisation, made.signIn, made.password);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  function begin() {
    name = title = steward = "";
    createProblem = null;
    kept.begin("organisation");
    creating = true;
  }

  async function create(event: Event) {
    event.preventDefault();
    createProblem = null;
    try {
      const made = await ask(api.POST("/organisations", { body: { name, title: title || undefined, steward: { name: steward, temporary: true } } }));
      kept.drop();
      creating = false;
      told = passwordOf(made.organisation.name, `${made.steward.name}@${made.organisation.name}`, made.password ?? "");
      await load();
    } catch (caught) {
      createProblem = asProblem(caught);
    }
  }
</script>

<Page title="Organisations" lead="A keeper creates organisations and names their first stewards, and holds nothing inside them.">
  {#snippet actions()}<Button size="sm" onclick={begin}><PlusOutline class="me-2 h-4 w-4" />Create an organisation</Button>{/snippet}
  {#if problem}
    <ProblemNote {problem} />
  {:else if !list}
    <Skeleton />
  {:else if list.length === 0}
    <p class="card quiet px-5 py-4">There is no organisation yet. Create the first one and hand its steward the password.</p>
  {:else}
    <div class="card overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="organisations">
        <thead><tr><th>Name</th><th>Title</th><th>Created</th><th><span class="sr-only">Quotas</span></th></tr></thead>
        <tbody>
          {#each list as o (o.id)}
            <tr><td class="font-semibold">{o.name}</td><td>{o.title}</td><td class="quiet text-sm">{moment(o.createdAt)}</td><td class="space-x-4 text-right whitespace-nowrap"><button type="button" class="link" onclick={() => reissue(o.name)} aria-label="Reset the first password of {o.name}">Reset the first password</button><button type="button" class="link" onclick={() => ((bounded = o.name), (bounding = true))} aria-label="Quotas of {o.name}">Quotas</button></td></tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</Page>

<QuotaDialog bind:open={bounding} organisation={bounded} />

<Modal bind:open={creating} size="sm" title="Create an organisation" outsideclose>
    <form onsubmit={create} class="space-y-5">
    <KeptNotice {kept} />
      <Field label="Name" name="name" problem={createProblem} hint="Its people sign in as PERSON@NAME.">
        {#snippet children(id)}<TextInput {id} name="organisation-name" {@attach focus} bind:value={name} required />{/snippet}
      </Field>
      <Field label="Title (optional)" name="title" problem={createProblem}>
        {#snippet children(id)}<TextInput {id} name="organisation-title" bind:value={title} />{/snippet}
      </Field>
      <Field label="First steward" name="steward.name" problem={createProblem} hint="Gets a temporary password, shown once.">
        {#snippet children(id)}<TextInput {id} name="steward" bind:value={steward} required />{/snippet}
      </Field>
      {#if createProblem && !["name", "title", "steward.name"].includes(createProblem.field ?? "")}<ProblemNote problem={createProblem} />{/if}
      <div class="flex justify-end gap-2">
        <QuietButton type="button" onclick={cancel}>Cancel</QuietButton>
        <Button type="submit" disabled={!name || !steward}>Create</Button>
      </div>
    </form>
</Modal>
{#if told}<SecretDialog result={told} onclose={() => (told = null)} />{/if}
