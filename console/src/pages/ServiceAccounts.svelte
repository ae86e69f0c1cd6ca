<!-- All service accounts, wherever in the tree they live. -->
<script lang="ts">
  import { asProblem, type Problem, type Schemas } from "../lib/api";
  import { serviceAccounts } from "../lib/directory";
  import { labelled } from "../lib/labelled";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { href, moment, of } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import PeopleTabs from "../parts/PeopleTabs.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import Who from "../parts/Who.svelte";

  let list = $state.raw<Schemas["Account"][] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const wanted = new QueryParam("find");

  function load() {
    serviceAccounts(session.organisation).then(
      (found) => (list = found),
      (caught) => (problem = asProblem(caught)),
    );
  }
  whenChanged(load, () => ({ kinds: ["service-account", "scope"] }));
  $effect(() => {
    load();
  });

  const shown = $derived(list?.filter((a) => `${a.address} ${a.title} ${a.state}`.toLowerCase().includes(wanted.value.toLowerCase())) ?? []);
  const home = (address: string) => address.slice(0, address.lastIndexOf("/"));
</script>

<Page title="Service accounts" lead="What programs act as. Each lives at a scope and goes with it; it is created on that scope's page.">
  <PeopleTabs />
  {#if problem}
    <ProblemNote {problem} />
  {:else if !list}
    <Skeleton rows={6} />
  {:else}
    <div class="mb-3 flex items-center gap-4">
      <div class="w-72"><TextInput type="search" bind:value={wanted.value} placeholder="Filter by name, place or state" aria-label="Filter by name, place or state" /></div>
      <span class="quiet">{of(shown.length, list.length, "service account")}</span>
    </div>
    <div class="card overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="accounts">
        <thead><tr><th>Name</th><th>Title</th><th>Lives at</th><th>State</th><th>Created</th></tr></thead>
        <tbody>
          {#each shown as account (account.id)}
            <tr>
              <td><Who who={{ kind: "service-account", name: account.address }} /></td>
              <td>{account.title}</td>
              <td><a class="link address" href={href.scope(home(account.address))}>{home(account.address)}</a></td>
              <td><StateMark state={account.state} /></td>
              <td class="quiet text-sm whitespace-nowrap">{moment(account.createdAt)}</td>
            </tr>
          {:else}
            <tr><td colspan="5" class="quiet">{list.length === 0 ? "None yet: a program that works in a scope acts best as an account of its own." : "None of that name."}</td></tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</Page>
