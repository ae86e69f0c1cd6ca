<!-- Users, guests and outside people in one list. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { groups, outsideGroups, providers } from "../lib/directory";
  import { spans, states, type Column, type Filter, type Question } from "../lib/lists";
  import { session } from "../lib/session.svelte";
  import { href, moment } from "../lib/words";
  import ActOnMany from "../parts/ActOnMany.svelte";
  import List from "../parts/List.svelte";
  import Page from "../parts/Page.svelte";
  import PeopleTabs from "../parts/PeopleTabs.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import Who from "../parts/Who.svelte";

  type Person = Schemas["Person"];
  const factors: Record<string, string> = { code: "one-time codes", passkey: "passkey" };

  const origins: Record<string, string> = { user: "own", guest: "guest", "outside-person": "outside" };

  const columns: Column<Person>[] = [
    { key: "name", word: "Name", value: (p) => p.name, sorts: true },
    { key: "title", word: "Display name", value: (p) => p.title, sorts: true },
    { key: "email", word: "Email", value: (p) => p.email, sorts: true },
    { key: "groups", word: "Groups", value: (p) => p.groups.join(", ") },
    { key: "state", word: "State", value: (p) => p.state, sorts: true },
    { key: "lastSignIn", word: "Last sign-in", value: (p) => p.lastSignInAt ?? "", sorts: true },
    { key: "factors", word: "Second factor", value: (p) => p.factors.map((f) => factors[f]).join(", "), sorts: true },
    { key: "kind", word: "Origin", value: (p) => origins[p.kind] ?? p.kind, sorts: true, spare: true },
    { key: "tags", word: "Tags", value: (p) => Object.entries(p.tags).map(([k, v]) => `${k}=${v}`).join(", "), spare: true },
    { key: "about", word: "About", value: (p) => p.description, spare: true },
    { key: "created", word: "Created", value: (p) => p.createdAt, sorts: true, spare: true },
  ];
  const filters: Filter[] = [
    { key: "kind", label: "Origin", options: Object.entries(origins).map(([value, word]) => ({ value, word })) },
    { key: "provider", label: "Identity provider", placeholder: "By a provider", with: ["kind", "outside-person"], names: async () => (await providers(session.organisation)).map((p) => ({ value: p.name, hint: p.title })) },
    { key: "state", label: "State", options: states },
    { key: "lastSignIn", label: "Last sign-in", options: spans },
    { key: "factor", label: "Second factor", options: [{ value: "none", word: "none" }, { value: "code", word: "one-time codes" }, { value: "passkey", word: "passkey" }] },
    { key: "group", label: "Group", placeholder: "In a group", names: async () => (await groups(session.organisation)).map((g) => ({ value: g.name, hint: g.title })) },
    { key: "outsideGroup", label: "Group there", placeholder: "In a group there", with: ["kind", "outside-person"], names: async () => (await outsideGroups(session.organisation)).map((g) => ({ value: `${g.name}@${g.provider}` })) },
    { key: "tag", label: "Tag", placeholder: "Tag=value" },
  ];

  $effect(() => void authority.load());

  async function read(query: Question) {
    const { people, ...rest } = await ask(api.GET("/organisations/{organisation}/people", { params: { path: { organisation: session.organisation }, query: query as object } }));
    return { items: people, ...rest };
  }
</script>

<Page wide title="People" lead="The users of {session.organisation}, who sign in as NAME@{session.organisation}, its guests, and people who come by an identity provider.">
  {#snippet actions()}
    {#if authority.may("create user")}
      <QuietButton size="sm" href="#/import">Import from a file</QuietButton>
      <QuietButton size="sm" href="#/people/new?guest">Invite a guest</QuietButton>
      <Button size="sm" href="#/people/new"><PlusOutline class="me-2 h-4 w-4" />Create a person</Button>
    {/if}
  {/snippet}
  <PeopleTabs />
  <List name="people" one="person" many="people" {columns} {filters} find="Find by name or email" {read} id={(p: Person) => p.id} label={(p: Person) => p.name}
    shows={() => ({ kinds: ["user", "guest", "outside-person", "group"] })} empty="There is nobody yet.">
    {#snippet acts(chosen: Person[], clear: () => void)}
      <ActOnMany {chosen} one="person" many="people" type="user" ondone={clear} />
    {/snippet}
    {#snippet cell(person: Person, column: string)}
      {#if column === "name"}<Who who={{ kind: person.kind, name: person.name }} />{#if person.kind !== "user"}<span class="quiet ml-2 text-sm">{origins[person.kind]}</span>{/if}
      {:else if column === "state"}<StateMark state={person.state} />
      {:else if column === "groups"}<span class="inline-flex flex-wrap gap-x-2">{#each person.groups.slice(0, 3) as group (group)}<a class="link" href={href.group(group)}>{group}</a>{/each}{#if person.groups.length > 3}<span class="quiet" title={person.groups.join(", ")}>+{person.groups.length - 3}</span>{/if}</span>
      {:else if column === "lastSignIn"}<span class="quiet text-sm whitespace-nowrap">{person.lastSignInAt ? moment(person.lastSignInAt) : "never"}</span>
      {:else if column === "created"}<span class="quiet text-sm whitespace-nowrap">{moment(person.createdAt)}</span>
      {:else if column === "factors"}<span class="quiet">{columns.find((c) => c.key === column)?.value(person) || "none"}</span>
      {:else if column === "title"}{person.title}
      {:else}<span class="quiet">{columns.find((c) => c.key === column)?.value(person)}</span>{/if}
    {/snippet}
  </List>
</Page>
