<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { push } from "svelte-spa-router";
  import { api, ask, asProblem, heeding, type Problem, type Schemas } from "../lib/api";
  import { Draft } from "../lib/draft.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { tree } from "../lib/tree.svelte";
  import { seats as seatsOf, workIn } from "../lib/seats";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import Credentials from "../parts/Credentials.svelte";
  import Field from "../parts/Field.svelte";
  import KeyTable from "../parts/KeyTable.svelte";
  import Page from "../parts/Page.svelte";
  import PasswordForm from "../parts/PasswordForm.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import SessionTable from "../parts/SessionTable.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import ConflictNotice from "../parts/ConflictNotice.svelte";

  type Own = { title: string; email: string };
  const own = (of: Schemas["Session"] | null): Own => ({ title: of?.title ?? "", email: of?.email ?? "" });
  const draft = new Draft(own(session.me));
  let problem = $state.raw<Problem | null>(null);
  let listProblem = $state.raw<Problem | null>(null);
  let said = $state("");
  let sessions = $state.raw<Schemas["OpenSession"][]>([]);
  let seats = $state.raw<Schemas["Seat"][]>([]);

  async function save(event: Event) {
    event.preventDefault();
    problem = null;
    said = "";
    try {
      const edit: Partial<Own> = {}; // only what was altered is written, where it is as it was read
      const was: Partial<Own> = {};
      for (const key of draft.altered) [edit[key], was[key]] = [draft.mine[key], draft.read[key]];
      session.begin(await heeding(ask(api.PATCH("/profile", { body: { ...edit, was } })), meet));
      draft.begin(own(session.me));
      said = "Your profile is saved.";
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  // What an administrator has changed meanwhile is shown beside.
  const meet = async () => draft.meet(own(await ask(api.GET("/session"))));

  async function load() {
    try {
      [sessions, seats] = await Promise.all([
        ask(api.GET("/profile/sessions")).then((list) => list.sessions),
        seatsOf(),
      ]);
    } catch (caught) {
      listProblem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });
  whenChanged(() => {
    load();
    if (person) meet().catch((caught: unknown) => (problem = asProblem(caught)));
  });

  async function end(id: string) {
    listProblem = null;
    try {
      await ask(api.DELETE("/profile/sessions/{session}", { params: { path: { session: id } } }));
      await load();
    } catch (caught) {
      listProblem = asProblem(caught);
    }
  }

  async function moveTo(organisation: string) {
    listProblem = null;
    try {
      await workIn(organisation);
    } catch (caught) {
      listProblem = asProblem(caught);
    }
  }

  const person = $derived(!session.me?.keeper && session.me?.kind === "user");
</script>

<Page title="Your account" lead={`${session.me?.name}, your session ends at ${moment(session.me?.endsAt ?? "")} if you do nothing more`}>
  {#if said}<p role="status" class="mb-5 rounded-lg bg-primary-100 px-4 py-2.5 font-semibold text-primary-900 dark:bg-primary-900 dark:text-primary-50">{said}</p>{/if}
  <div class="grid grid-cols-2 items-start gap-6 max-md:grid-cols-1">
    {#if person}
      <section class="card p-6">
        <h2 class="mb-4 text-lg font-semibold">Profile</h2>
        <form onsubmit={save} class="space-y-5">
          <ConflictNotice {draft} words={{ title: "your display name", email: "your email" }} />
          <Field label="Display name" name="title" {problem}>
            {#snippet children(id)}<TextInput {id} name="title" bind:value={draft.mine.title} required />{/snippet}
          </Field>
          <Field label="Email (optional)" name="email" {problem}>
            {#snippet children(id)}<TextInput {id} name="email" type="email" bind:value={draft.mine.email} />{/snippet}
          </Field>
          {#if problem && !problem.field}<ProblemNote {problem} />{/if}
          <Button type="submit" disabled={draft.disputed.length > 0 || draft.altered.length === 0}>Save</Button>
        </form>
      </section>
    {/if}
    {#if session.me?.provider}
      <section class="card p-6" data-test="provider">
        <h2 class="mb-3 text-lg font-semibold">How you sign in</h2>
        <p>You sign in at <strong>{session.me.provider}</strong>, and by nothing else. It says what you are called; a password, a second factor or a passkey is set up there.</p>
      </section>
    {:else}
    <section class="card p-6">
      <h2 class="mb-4 text-lg font-semibold">Password</h2>
      <PasswordForm ondone={() => ((said = "Your password is changed; your other sessions have ended."), load())} />
    </section>
    <Credentials />
    {/if}
  </div>
  {#if listProblem}<div class="mt-6"><ProblemNote problem={listProblem} /></div>{/if}
  {#if seats.length > 1 || (seats.length === 1 && !seats[0]?.here)}
    <section class="mt-7" aria-labelledby="seats-heading">
      <h2 id="seats-heading" class="mb-2 text-lg font-semibold">Organisations that know you</h2>
      <ul class="card" data-test="seats">
        {#each seats as seat (seat.organisation)}
          <li class="flex items-center gap-3 border-b border-gray-100 px-4 py-2.5 last:border-0 dark:border-gray-800">
            <span class="font-semibold">{seat.title || seat.organisation}</span> <span class="quiet">as a {seat.kind}</span>
            {#if seat.here}<span class="ml-auto font-semibold">you are here</span>{:else}<button type="button" class="link ml-auto" onclick={() => moveTo(seat.organisation)}>Work there</button>{/if}
          </li>
        {/each}
      </ul>
    </section>
  {/if}
  <section class="mt-7" aria-labelledby="sessions-heading">
    <h2 id="sessions-heading" class="mb-2 text-lg font-semibold">Your sessions</h2>
    <SessionTable {sessions} mayEnd={true} onend={end} />
  </section>
  {#if person}<KeyTable mayIssue={true} />{/if}
</Page>
