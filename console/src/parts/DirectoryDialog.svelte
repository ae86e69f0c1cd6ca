<!-- How the directory of an identity provider is read. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, confirming, type Schemas } from "../lib/api";
  import { Kept } from "../lib/kept.svelte";
  import { session } from "../lib/session.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Field from "./Field.svelte";
  import PasswordInput from "./PasswordInput.svelte";
  import TextInput from "./TextInput.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), provider, of, ondone }: { open?: boolean; provider: string; of: Schemas["Directory"]; ondone: () => void } = $props();

  const parts = ["name", "title", "email"] as const;
  const textsOf = (is: Schemas["DirectorySettings"]) => ({
    address: is.address, bindName: is.bindName, authorities: is.authorities, peopleBase: is.people.base, peopleFilter: is.people.filter, groupsBase: is.groups.base, groupsFilter: is.groups.filter,
    key: is.key, memberBy: is.memberBy, attributes: is.attributes.join(" "), every: String(is.every), mostLeaving: String(is.mostLeaving), retireAfter: String(is.retireAfter),
    name: is.claimMap.name.path, title: is.claimMap.title.path, email: is.claimMap.email.path,
  });

  let fields = $state(untrack(() => textsOf(of.settings)));
  let password = $state("");
  const kept = new Kept(() => ({ ...fields }), (written) => (fields = written ?? fields));

  $effect(() => {
    if (!open) return;
    untrack(() => {
      fields = textsOf(of.settings);
      password = "";
      kept.begin(`directory ${provider}`);
    });
  });

  const claimMap = $derived.by((): Schemas["ClaimMap"] => {
    const map = { ...of.settings.claimMap };
    for (const part of parts) if (fields[part].trim() !== map[part].path) map[part] = { path: fields[part].trim() };
    return map;
  });
  const settings = $derived.by((): Schemas["DirectorySettings"] => ({
    address: fields.address.trim(), bindName: fields.bindName.trim(), authorities: fields.authorities.trim(), people: { base: fields.peopleBase.trim(), filter: fields.peopleFilter.trim() },
    groups: { base: fields.groupsBase.trim(), filter: fields.groupsFilter.trim() }, key: fields.key.trim(), memberBy: fields.memberBy.trim(), attributes: fields.attributes.split(/\s+/).filter(Boolean),
    claimMap, every: Math.round(Number(fields.every)), mostLeaving: Math.round(Number(fields.mostLeaving)), retireAfter: Math.round(Number(fields.retireAfter)),
  }));
  const body = $derived({ settings, ...(password ? { password } : {}) });
  const ready = $derived(settings.address !== "" && settings.people.base !== "" && settings.key !== "");
  const path = $derived({ organisation: session.organisation, provider });

  async function preview(): Promise<Impact> {
    return (await ask(api.PUT("/organisations/{organisation}/providers/{provider}/directory", { params: { path, query: { preview: true } }, body }))).impact ?? null;
  }
  async function make(impact: Impact) {
    await ask(api.PUT("/organisations/{organisation}/providers/{provider}/directory", { params: { path, header: confirming(impact) }, body }));
    ondone();
  }
</script>

<ChangeDialog bind:open title="How the directory of {provider} is read" action="Save" size="md" {ready} {preview} asks={() => body} {kept} {make}>
  {#snippet children(problem)}
    <Field label="Address" name="address" {problem} hint="ldaps://HOST, or ldap://HOST, which changes to TLS by itself.">
      {#snippet children(id)}<TextInput {id} name="directory-address" bind:value={fields.address} class="font-mono" placeholder="ldaps://directory.lindenmere.example" required />{/snippet}
    </Field>
    <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
      <Field label="Read as (optional)" name="bindName" {problem} hint="Left empty, as nobody.">
        {#snippet children(id)}<TextInput {id} name="directory-bind" bind:value={fields.bindName} class="font-mono" placeholder="cn=reader,dc=lindenmere,dc=example" />{/snippet}
      </Field>
      <Field label="Password" name="password" {problem} hint={of.hasPassword ? "Left empty, it stays, unless the address or the reader is another." : undefined}>
        {#snippet children(id)}<PasswordInput {id} name="directory-password" bind:value={password} autocomplete="off" />{/snippet}
      </Field>
      <Field label="People at or under" name="people.base" {problem}>
        {#snippet children(id)}<TextInput {id} name="directory-people" bind:value={fields.peopleBase} class="font-mono" placeholder="ou=people,dc=lindenmere,dc=example" required />{/snippet}
      </Field>
      <Field label="Filter of people" name="people.filter" {problem}>
        {#snippet children(id)}<TextInput {id} name="directory-people-filter" bind:value={fields.peopleFilter} class="font-mono" required />{/snippet}
      </Field>
      <Field label="Groups at or under (optional)" name="groups.base" {problem} hint="Left empty, no groups are read.">
        {#snippet children(id)}<TextInput {id} name="directory-groups" bind:value={fields.groupsBase} class="font-mono" placeholder="ou=groups,dc=lindenmere,dc=example" />{/snippet}
      </Field>
      <Field label="Filter of groups" name="groups.filter" {problem}>
        {#snippet children(id)}<TextInput {id} name="directory-groups-filter" bind:value={fields.groupsFilter} class="font-mono" />{/snippet}
      </Field>
      <Field label="Known again by" name="key" {problem} hint="An attribute that never changes.">
        {#snippet children(id)}<TextInput {id} name="directory-key" bind:value={fields.key} class="font-mono" required />{/snippet}
      </Field>
      <Field label="Groups name members by" name="memberBy" {problem}>
        {#snippet children(id)}<TextInput {id} name="directory-member" bind:value={fields.memberBy} class="font-mono" required />{/snippet}
      </Field>
    </div>
    <Field label="Attributes that become claims" name="attributes" {problem} hint="Parted by spaces. Statements can ask for them, and the lines below can pick from them.">
      {#snippet children(id)}<TextInput {id} name="directory-attributes" bind:value={fields.attributes} class="font-mono" />{/snippet}
    </Field>
    <div class="grid grid-cols-3 gap-4 max-sm:grid-cols-1">
      <Field label="Name from" name="claimMap.name" {problem}>{#snippet children(id)}<TextInput {id} name="directory-name" bind:value={fields.name} class="font-mono" required />{/snippet}</Field>
      <Field label="Display name from" name="claimMap.title" {problem}>{#snippet children(id)}<TextInput {id} name="directory-title" bind:value={fields.title} class="font-mono" />{/snippet}</Field>
      <Field label="Mail address from" name="claimMap.email" {problem}>{#snippet children(id)}<TextInput {id} name="directory-email" bind:value={fields.email} class="font-mono" />{/snippet}</Field>
      <Field label="Read every … minutes" name="every" {problem} hint="0: when somebody asks.">
        {#snippet children(id)}<TextInput {id} name="directory-every" type="number" min="0" max="10080" bind:value={fields.every} />{/snippet}
      </Field>
      <Field label="Most who leave, in percent" name="mostLeaving" {problem} hint="More at once stops it.">
        {#snippet children(id)}<TextInput {id} name="directory-leaving" type="number" min="1" max="100" bind:value={fields.mostLeaving} />{/snippet}
      </Field>
      <Field label="Retired after … days" name="retireAfter" {problem} hint="0: never.">
        {#snippet children(id)}<TextInput {id} name="directory-retire" type="number" min="0" max="3650" bind:value={fields.retireAfter} />{/snippet}
      </Field>
    </div>
    <details>
      <summary class="cursor-pointer text-sm font-semibold">Certificates of authorities</summary>
      <Field label="As PEM (optional)" name="authorities" {problem} hint="Left empty, those count that the machine believes.">
        {#snippet children(id)}<textarea {id} name="directory-authorities" bind:value={fields.authorities} rows="4" class="field w-full font-mono text-sm"></textarea>{/snippet}
      </Field>
    </details>
  {/snippet}
</ChangeDialog>
