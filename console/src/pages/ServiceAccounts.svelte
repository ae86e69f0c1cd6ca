<!-- All service accounts, wherever in the tree they live. -->
<script lang="ts">
  import { api, ask, type Schemas } from "../lib/api";
  import { states, type Column, type Filter, type Question } from "../lib/lists";
  import { session } from "../lib/session.svelte";
  import { href, moment } from "../lib/words";
  import ActOnMany from "../parts/ActOnMany.svelte";
  import List from "../parts/List.svelte";
  import Page from "../parts/Page.svelte";
  import PeopleTabs from "../parts/PeopleTabs.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import Who from "../parts/Who.svelte";

  type Account = Schemas["Account"];
  const home = (address: string) => address.slice(0, address.lastIndexOf("/"));

  const columns: Column<Account>[] = [
    { key: "name", word: "Name", value: (a) => a.name, sorts: true },
    { key: "title", word: "Title", value: (a) => a.title, sorts: true },
    { key: "address", word: "Lives at", value: (a) => home(a.address), sorts: true },
    { key: "state", word: "State", value: (a) => a.state, sorts: true },
    { key: "created", word: "Created", value: (a) => a.createdAt, sorts: true },
  ];
  const filters: Filter[] = [
    { key: "state", label: "State", options: states.filter((s) => s.value !== "pending") },
    { key: "tag", label: "Tag", placeholder: "Tag=value" },
  ];

  async function read(query: Question) {
    const { accounts, ...rest } = await ask(api.GET("/scopes/{scope}/service-accounts", { params: { path: { scope: session.organisation }, query: query as object } }));
    return { items: accounts, ...rest };
  }
</script>

<Page wide title="Service accounts" lead="What programs act as. Each lives at a scope and goes with it; it is created on that scope's page.">
  <PeopleTabs />
  <List name="service accounts" one="service account" {columns} {filters} find="Find by name or place" {read} id={(a: Account) => a.id} label={(a: Account) => a.address} order="address"
    shows={() => ({ kinds: ["service-account", "scope"] })} empty="None yet: a program that works in a scope acts best as an account of its own.">
    {#snippet acts(chosen: Account[], clear: () => void)}
      <ActOnMany chosen={chosen.map((a) => ({ kind: "service-account", name: a.address, state: a.state }))} one="service account" type="service-account" ondone={clear} />
    {/snippet}
    {#snippet cell(account: Account, column: string)}
      {#if column === "name"}<Who who={{ kind: "service-account", name: account.address }} />
      {:else if column === "title"}{account.title}
      {:else if column === "address"}<a class="link address" href={href.scope(home(account.address))}>{home(account.address)}</a>
      {:else if column === "state"}<StateMark state={account.state} />
      {:else}<span class="quiet text-sm whitespace-nowrap">{moment(account.createdAt)}</span>{/if}
    {/snippet}
  </List>
</Page>
