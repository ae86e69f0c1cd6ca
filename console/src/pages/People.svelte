<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { asProblem, type Problem, type Schemas } from "../lib/api";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { guests, users } from "../lib/directory";
  import { authority } from "../lib/authority.svelte";
  import { labelled } from "../lib/labelled";
  import { session } from "../lib/session.svelte";
  import { count, moment, of } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import PeopleTabs from "../parts/PeopleTabs.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import Who from "../parts/Who.svelte";

  let list = $state.raw<(Schemas["User"] & { kind: "user" | "guest" })[] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const wanted = new QueryParam("find");

  async function load() {
    try {
      const [own, outside] = await Promise.all([users(session.organisation), guests(session.organisation)]);
      list = [...own.map((u) => ({ ...u, kind: "user" as const })), ...outside.map((g) => ({ ...g, kind: "guest" as const }))];
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  whenChanged(load, () => ({ kinds: ["user", "guest"] }));
  $effect(() => {
    authority.load();
    load();
  });

  const shown = $derived(list?.filter((u) => (u.name + " " + u.title + " " + u.email + " " + u.state).toLowerCase().includes(wanted.value.toLowerCase())) ?? []);
  const outside = $derived(shown.filter((u) => u.kind === "guest").length);
  const allOutside = $derived(list?.filter((u) => u.kind === "guest").length ?? 0);
</script>

<Page title="People" lead="The users of {session.organisation}, who sign in as NAME@{session.organisation}, and its guests.">
  {#snippet actions()}
    {#if authority.may("create user")}
      <QuietButton size="sm" href="#/people/new?guest">Invite a guest</QuietButton>
      <Button size="sm" href="#/people/new"><PlusOutline class="me-2 h-4 w-4" />Create a person</Button>
    {/if}
  {/snippet}
  <PeopleTabs />
  {#if problem}
    <ProblemNote {problem} />
  {:else if !list}
    <Skeleton rows={8} />
  {:else}
    <div class="mb-3 flex items-center gap-4">
      <div class="w-72"><TextInput type="search" bind:value={wanted.value} placeholder="Filter by name, email or state" aria-label="Filter by name, email or state" /></div>
      <span class="quiet">{of(shown.length - outside, list.length - allOutside, "user")}{outside > 0 ? `, ${of(outside, allOutside, "guest")}` : ""}</span>
    </div>
    <div class="card overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="users">
        <thead><tr><th>Name</th><th>Display name</th><th>About</th><th>Email</th><th>State</th><th>Created</th></tr></thead>
        <tbody>
          {#each shown as user (user.id)}
            <tr>
              <td><Who who={{ kind: user.kind, name: user.name }} />{#if user.kind === "guest"}<span class="quiet ml-2 text-sm">guest</span>{/if}</td>
              <td>{user.title}</td>
              <td class="quiet">{user.description}</td>
              <td class="quiet">{user.email}</td>
              <td><StateMark state={user.state} /></td>
              <td class="quiet text-sm whitespace-nowrap">{moment(user.createdAt)}</td>
            </tr>
          {:else}
            <tr><td colspan="6" class="quiet">Nobody of that name.</td></tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</Page>
