<!-- Edits the end, the condition and the reason of a grant, after showing what that does. Who holds which role where stays. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, type Grant, type Schemas } from "../lib/api";
  import { Kept } from "../lib/kept.svelte";
  import { sending } from "../lib/sending";
  import { localMoment, momentOf } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Field from "./Field.svelte";
  import TermFields from "./TermFields.svelte";
  import TextInput from "./TextInput.svelte";

  let { open = $bindable(false), grant, ondone }: { open?: boolean; grant: Grant; ondone: () => void } = $props();

  const read = $derived({ condition: grant.condition ?? "", from: localMoment(grant.from), until: localMoment(grant.until), description: grant.description ?? "" });
  let mine = $state({ condition: "", from: "", until: "", description: "" });

  const kept = new Kept(() => ({ ...mine }), (written) => (mine = written));

  $effect(() => {
    if (!open) return;
    untrack(() => {
      mine = { ...read };
      kept.begin("edit grant " + grant.id);
    });
  });

  const body = $derived.by((): Schemas["GrantEdit"] => {
    const edit: Schemas["GrantEdit"] = {};
    if (mine.condition.trim() !== read.condition) edit.condition = mine.condition.trim();
    if (mine.description !== read.description) edit.description = mine.description;
    if (mine.from !== read.from) Object.assign(edit, mine.from ? { from: momentOf(mine.from) } : { noFrom: true });
    if (mine.until !== read.until) Object.assign(edit, mine.until ? { until: momentOf(mine.until) } : { noUntil: true });
    return edit;
  });
  const ready = $derived(Object.keys(body).length > 0);

  const { preview, make } = sending(
    (query, header) => ask(api.PATCH("/grants/{grant}", { params: { path: { grant: grant.id }, query, header }, body })),
    () => `The grant of ${grant.role} to ${grant.principal.name} at ${grant.scope.name} edited.`,
    () => ondone(),
  );
</script>

<ChangeDialog bind:open size="md" title="Edit the grant of {grant.role} to {grant.principal.name}" action="Save" {ready} {preview} asks={() => body} {kept} {make}>
  {#snippet children(problem)}
    <p class="quiet">At <span class="address">{grant.scope.address}</span>. To give another role, or to somebody else, create another grant and revoke this one.</p>
    <TermFields bind:condition={mine.condition} bind:from={mine.from} bind:until={mine.until} {problem} />
    <Field label="Why" name="description" {problem}>
      {#snippet children(id)}<TextInput {id} name="why" bind:value={mine.description} />{/snippet}
    </Field>
  {/snippet}
</ChangeDialog>
