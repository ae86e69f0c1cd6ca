<!-- Gives the grants that name somebody directly to somebody else. -->
<script lang="ts">
  import { api, ask, type Schemas } from "../lib/api";
  import { users } from "../lib/directory";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";

  let { open = $bindable(false), of, ondone }: { open?: boolean; of: Schemas["PrincipalDetails"]; ondone: () => void } = $props();

  let name = $state("");
  let known = $state.raw<{ value: string; hint?: string }[]>([]);

  $effect(() => {
    if (!open) return;
    name = "";
    users(session.organisation).then((list) => (known = list.map((u) => ({ value: u.name, hint: u.title }))));
  });

  const path = $derived({ organisation: session.organisation, kind: of.kind, principal: of.name });
  const ready = $derived(known.some((k) => k.value === name.trim()));

  const { preview, make } = sending(
    (query, header) =>
      ask(api.POST("/organisations/{organisation}/principals/{kind}/{principal}/hand-over", { params: { path, query, header }, body: { kind: "user", name: name.trim() } })),
    () => `The direct grants of ${of.name} now belong to ${name.trim()}.`,
    () => ondone(),
  );
</script>

<ChangeDialog bind:open title="Hand over what {of.name} was granted" action="Hand over" {ready} {preview} {make}>
  {#snippet children(problem)}
    <Field label="To the user" name="name" {problem} hint="All direct grants of {of.name} become theirs, unchanged. Access through groups is not handed over: add them to the groups.">
      {#snippet children(id)}<Choice {id} name="taker" bind:value={name} options={known} />{/snippet}
    </Field>
  {/snippet}
</ChangeDialog>
