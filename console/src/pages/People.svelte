<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { asProblem, type Problem, type Schemas } from "../lib/api";
  import { users } from "../lib/directory";
  import { authority } from "../lib/authority.svelte";
  import { session } from "../lib/session.svelte";
  import { count, moment } from "../lib/words";
  import CreateUser from "../parts/CreateUser.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import Who from "../parts/Who.svelte";

  let list = $state.raw<Schemas["User"][] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let creating = $state(false);
  let wanted = $state("");

  async function load() {
    try {
      list = await users(session.organisation);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    authority.load();
    load();
  });

  const shown = $derived(list?.filter((u) => (u.name + " " + u.title + " " + u.email).toLowerCase().includes(wanted.toLowerCase())) ?? []);
</script>

<Page title="People" lead="The users of {session.organisation}. Each signs in as NAME@{session.organisation}.">
  {#snippet actions()}{#if authority.may("create user")}<Button size="sm" onclick={() => (creating = true)}><PlusOutline class="me-2 h-4 w-4" />Create a user</Button>{/if}{/snippet}
  {#if problem}
    <ProblemNote {problem} />
  {:else if !list}
    <Skeleton rows={8} />
  {:else}
    <div class="mb-3 flex items-center gap-4">
      <div class="w-72"><TextInput type="search" bind:value={wanted} placeholder="Filter by name or email" aria-label="Filter by name or email" /></div>
      <span class="quiet">{count(shown.length, "user")}</span>
    </div>
    <div class="card overflow-x-auto">
      <table class="rows" data-test="users">
        <thead><tr><th>Name</th><th>Display name</th><th>About</th><th>Email</th><th>State</th><th>Created</th></tr></thead>
        <tbody>
          {#each shown as user (user.id)}
            <tr>
              <td><Who who={{ kind: "user", name: user.name }} /></td>
              <td>{user.title}</td>
              <td class="quiet">{user.description}</td>
              <td class="quiet">{user.email}</td>
              <td>{user.state}</td>
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
<CreateUser bind:open={creating} ondone={load} />
