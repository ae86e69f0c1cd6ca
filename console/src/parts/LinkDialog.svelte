<!-- Links a group that an identity provider names to a group of the organisation, after showing whom that puts into it. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask } from "../lib/api";
  import { groups, outsideGroups, providers } from "../lib/directory";
  import { Kept } from "../lib/kept.svelte";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import type { Option } from "../lib/choices";

  type Wanted = { provider?: string; outsideGroup?: string; group?: string };
  let { open = $bindable(false), prepared }: { open?: boolean; prepared: Wanted } = $props();

  let fields = $state({ provider: "", outsideGroup: "", group: "" });
  let known = $state.raw<{ providers: Option[]; outside: (Option & { provider: string })[]; groups: Option[] }>({ providers: [], outside: [], groups: [] });
  const kept = new Kept(() => ({ ...fields }), (written) => (fields = written ?? fields));

  $effect(() => {
    if (!open) return;
    untrack(() => {
      fields = { provider: prepared.provider ?? "", outsideGroup: prepared.outsideGroup ?? "", group: prepared.group ?? "" };
      kept.begin(`link ${fields.provider} ${fields.outsideGroup} ${fields.group}`);
      learn();
    });
  });

  // What cannot be read is not offered, and can be written all the same.
  async function learn() {
    const organisation = session.organisation;
    const [p, o, g] = await Promise.allSettled([providers(organisation), outsideGroups(organisation), groups(organisation)]);
    known = {
      providers: p.status === "fulfilled" ? p.value.map((x) => ({ value: x.name, hint: x.title })) : [],
      outside: o.status === "fulfilled" ? o.value.map((x) => ({ value: x.name, hint: x.pattern ? "name pattern" : count(x.people, "person", "people"), provider: x.provider })) : [],
      groups: g.status === "fulfilled" ? g.value.filter((x) => !x.gathers).map((x) => ({ value: x.name, hint: x.title })) : [],
    };
    if (!fields.provider && known.providers.length === 1) fields.provider = known.providers[0]!.value;
  }

  const body = $derived({ outsideGroup: fields.outsideGroup.trim(), group: fields.group.trim() });
  const ready = $derived(fields.provider.trim() !== "" && body.outsideGroup !== "" && known.groups.some((g) => g.value === body.group));
  const { preview, make } = sending(
    (query, header) => ask(api.POST("/organisations/{organisation}/providers/{provider}/links", { params: { path: { organisation: session.organisation, provider: fields.provider.trim() }, query, header }, body })),
    () => `${body.outsideGroup} linked to ${body.group}.`,
    () => {},
  );
</script>

<ChangeDialog bind:open title="Link a group from outside" action="Link" {ready} {preview} asks={() => [fields.provider, body]} {kept} {make}>
  {#snippet children(problem)}
    <p>People who are in the group there, as their provider says, are in the group here, for as long as it says so.</p>
    {#if !prepared.provider}
      <Field label="Identity provider" name="provider" {problem}>
        {#snippet children(id)}<Choice {id} name="link-provider" bind:value={fields.provider} options={known.providers} />{/snippet}
      </Field>
    {/if}
    <Field label="Group there" name="outsideGroup" {problem} hint={"Letter by letter as the provider writes it. A part in braces stands for any text: label-{house}."}>
      {#snippet children(id)}<Choice {id} name="link-outside" bind:value={fields.outsideGroup} options={known.outside.filter((o) => o.provider === fields.provider)} />{/snippet}
    </Field>
    <Field label="Group here" name="group" {problem}>
      {#snippet children(id)}<Choice {id} name="link-group" bind:value={fields.group} options={known.groups} />{/snippet}
    </Field>
  {/snippet}
</ChangeDialog>
