<!-- Gives the grants that name somebody directly to somebody else, and adds them to the same groups if wanted. -->
<script lang="ts">
  import { Checkbox } from "flowbite-svelte";
  import { SvelteSet } from "svelte/reactivity";
  import { api, ask, type Schemas } from "../lib/api";
  import { users } from "../lib/directory";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";

  let { open = $bindable(false), of, ondone }: { open?: boolean; of: Schemas["PrincipalDetails"]; ondone: () => void } = $props();

  let name = $state("");
  let groups = $state(false);
  const kept = new SvelteSet<string>(); // the ids of the grants that stay
  let known = $state.raw<{ value: string; hint?: string }[]>([]);

  const direct = $derived(of.rules.flatMap((r) => (r.grant && r.grant.principal.kind === of.kind && r.grant.principal.name === of.name ? [r.grant] : [])));
  const over = $derived(direct.filter((g) => !kept.has(g.id)));
  const into = $derived(of.groups.filter((g) => !of.gathered.includes(g)));

  $effect(() => {
    if (!open) return;
    name = "";
    groups = false;
    kept.clear();
    users(session.organisation).then((list) => (known = list.map((u) => ({ value: u.name, hint: u.title }))));
  });

  const path = $derived({ organisation: session.organisation, kind: of.kind, principal: of.name });
  const body = $derived<Schemas["HandOverTo"]>({ kind: "user", name: name.trim(), groups, grants: over.length === direct.length && !of.hidden ? undefined : over.map((g) => g.id) });
  const ready = $derived(known.some((k) => k.value === name.trim()) && (over.length > 0 || groups));

  const { preview, make } = sending(
    (query, header) => ask(api.POST("/organisations/{organisation}/principals/{kind}/{principal}/hand-over", { params: { path, query, header }, body })),
    () => `${count(over.length, "grant")} of ${of.name} handed over to ${name.trim()}.`,
    () => ondone(),
  );
</script>

<ChangeDialog bind:open title="Hand over what {of.name} was granted" action="Hand over" {ready} {preview} asks={() => body} {make}>
  {#snippet children(problem)}
    <Field label="To the user" name="name" {problem}>
      {#snippet children(id)}<Choice {id} name="taker" bind:value={name} options={known} />{/snippet}
    </Field>
    {#if direct.length > 0}
      <fieldset>
        <legend class="label mb-1">Direct grants</legend>
        <div class="max-h-48 space-y-1 overflow-y-auto">
          {#each direct as grant (grant.id)}
            <Checkbox checked={!kept.has(grant.id)} onchange={() => kept.delete(grant.id) || kept.add(grant.id)}>{grant.role} at {grant.scope.address}</Checkbox>
          {/each}
        </div>
      </fieldset>
    {/if}
    {#if into.length > 0}
      <Checkbox bind:checked={groups} name="same-groups">Add them to the same groups, too: {into.join(", ")}</Checkbox>
    {/if}
  {/snippet}
</ChangeDialog>
