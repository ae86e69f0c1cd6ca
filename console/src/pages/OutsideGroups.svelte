<!-- The groups that identity providers name, the groups they are linked to, and what does not match. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { providers } from "../lib/directory";
  import type { Column, Filter, Question } from "../lib/lists";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import LinkDialog from "../parts/LinkDialog.svelte";
  import List from "../parts/List.svelte";
  import Page from "../parts/Page.svelte";
  import PeopleTabs from "../parts/PeopleTabs.svelte";
  import UnlinkDialog from "../parts/UnlinkDialog.svelte";
  import Who from "../parts/Who.svelte";

  type Group = Schemas["OutsideGroup"];
  const linksOf = (g: Group) => g.links.map((l) => l.group + (l.by ? ` by ${l.by}` : ""));
  const remark = (g: Group) => (g.pattern ? (g.matches.length ? "matches " + g.matches.join(", ") : "matches no group yet") : g.near.length ? "seen instead: " + g.near.join(", ") : g.links.length === 0 ? "linked to no group" : g.people === 0 ? "nobody is in it" : "");
  const columns: Column<Group>[] = [
    { key: "name", word: "Group there", value: (g) => g.name, sorts: true },
    { key: "provider", word: "Identity provider", value: (g) => g.provider },
    { key: "people", word: "People", value: (g) => String(g.people), sorts: true, number: true },
    { key: "groups", word: "Groups here", value: (g) => linksOf(g).join(", "), sorts: true },
    { key: "remark", word: "Remark", value: remark },
  ];
  const filters: Filter[] = [
    { key: "provider", label: "Identity provider", placeholder: "Of a provider", names: async () => (await providers(session.organisation)).map((p) => ({ value: p.name, hint: p.title })) },
    { key: "links", label: "Links", options: [{ value: "linked", word: "linked" }, { value: "unlinked", word: "seen, linked to no group" }, { value: "unseen", word: "linked, nobody in it" }] },
  ];
  const provider = new QueryParam("provider");

  $effect(() => void authority.load());
  const mayLink = $derived(authority.may("enrol group"));

  async function read(query: Question) {
    const { outsideGroups, ...rest } = await ask(api.GET("/organisations/{organisation}/outside-groups", { params: { path: { organisation: session.organisation }, query: query as object } }));
    return { items: outsideGroups, ...rest };
  }

  let linking = $state(false);
  let prepared = $state.raw<{ provider?: string; outsideGroup?: string; group?: string }>({});
  let unlinking = $state(false);
  let link = $state.raw({ provider: "", outsideGroup: "", group: "" });

  function begin(wanted: typeof prepared) {
    [prepared, linking] = [wanted, true];
  }
</script>

<Page wide title="Groups from outside" lead="What identity providers call the groups of their people. Linked to a group here, they put their people into it; by themselves they give nothing.">
  {#snippet actions()}{#if mayLink}<Button size="sm" data-test="link" onclick={() => begin({ provider: provider.value || undefined })}><PlusOutline class="me-2 h-4 w-4" />Link a group</Button>{/if}{/snippet}
  <PeopleTabs />
  <List name="outside-groups" one="group from outside" many="groups from outside" {columns} {filters} find="Find by name" {read} id={(g: Group) => `${g.name}@${g.provider}`} label={(g: Group) => g.name}
    empty="No provider has named groups yet. They are seen when people sign in.">
    {#snippet cell(g: Group, column: string)}
      {#if column === "name"}<span class="font-semibold">{g.name}</span>{#if g.pattern}<span class="quiet block text-sm">name pattern</span>{/if}
      {:else if column === "provider"}<a class="link whitespace-nowrap" href={href.provider(g.provider)}>{g.provider}</a>
      {:else if column === "people"}{#if g.people > 0}<a class="link" href={href.outsideGroup(g.name, g.provider)}>{g.people}</a>{:else}<span class="quiet">none</span>{/if}
      {:else if column === "groups"}
        <span class="inline-flex flex-wrap items-baseline gap-x-4 gap-y-1">
          {#each g.links as l (l.group + " " + (l.by ?? ""))}
            <span class="whitespace-nowrap"><Who who={{ kind: "group", name: l.group }} />{#if l.by}<span class="quiet ml-2 text-sm">by {l.by}</span>{:else if mayLink}<button type="button" class="link ml-2 text-sm" aria-label="Remove the link of {g.name} to {l.group}" onclick={() => ((link = { provider: g.provider, outsideGroup: g.name, group: l.group }), (unlinking = true))}>Remove</button>{/if}</span>
          {/each}
          {#if mayLink && g.links.length === 0}<button type="button" class="link" aria-label="Link {g.name}" onclick={() => begin({ provider: g.provider, outsideGroup: g.name })}>Link it</button>{/if}
        </span>
      {:else if g.near.length > 0}
        <span class="font-semibold text-copper-700 dark:text-copper-300">Nobody is in it. Seen instead: {g.near.join(", ")}</span>
        {#if mayLink && g.links[0]}<button type="button" class="link block" onclick={() => begin({ provider: g.provider, outsideGroup: g.near[0], group: g.links[0]?.group })}>Link {g.near[0]} to {g.links[0].group}</button>{/if}
      {:else}<span class="quiet">{remark(g)}</span>{/if}
    {/snippet}
  </List>
</Page>

<LinkDialog bind:open={linking} {prepared} />
<UnlinkDialog bind:open={unlinking} {...link} />
