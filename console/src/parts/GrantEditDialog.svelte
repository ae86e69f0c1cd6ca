<!-- Edits the end, the condition and the reason of a grant, after showing what that does. Who holds which role where stays. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, confirming, type Grant, type Schemas } from "../lib/api";
  import { undo } from "../lib/undo.svelte";
  import { localMoment } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Field from "./Field.svelte";
  import TextInput from "./TextInput.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), grant, ondone }: { open?: boolean; grant: Grant; ondone: () => void } = $props();

  const read = $derived({ condition: grant.condition ?? "", from: localMoment(grant.from), until: localMoment(grant.until), description: grant.description ?? "" });
  let mine = $state({ condition: "", from: "", until: "", description: "" });

  $effect(() => {
    if (open) mine = untrack(() => ({ ...read }));
  });

  const body = $derived.by((): Schemas["GrantEdit"] => {
    const edit: Schemas["GrantEdit"] = {};
    if (mine.condition.trim() !== read.condition) edit.condition = mine.condition.trim();
    if (mine.description !== read.description) edit.description = mine.description;
    if (mine.from !== read.from) Object.assign(edit, mine.from ? { from: new Date(mine.from).toISOString() } : { noFrom: true });
    if (mine.until !== read.until) Object.assign(edit, mine.until ? { until: new Date(mine.until).toISOString() } : { noUntil: true });
    return edit;
  });
  const ready = $derived(Object.keys(body).length > 0);

  const send = (preview: boolean, impact: Impact) =>
    ask(api.PATCH("/grants/{grant}", { params: { path: { grant: grant.id }, query: { preview }, header: confirming(impact) }, body }));

  async function make(impact: Impact) {
    const told = `The grant of ${grant.role} to ${grant.principal.name} at ${grant.scope.name} edited.`;
    const { revision } = await send(false, impact);
    ondone();
    undo.offer(told, revision);
  }
</script>

<ChangeDialog bind:open size="md" title="Edit the grant of {grant.role} to {grant.principal.name}" action="Save" {ready} preview={async () => (await send(true, null)).impact ?? null} asks={() => body} {make}>
  {#snippet children(problem)}
    <p class="quiet">At <span class="address">{grant.scope.address}</span>. To give another role, or to somebody else, create another grant and revoke this one.</p>
    <Field label="Only if" name="condition" {problem} hint="As after “if” in a statement. Leave it empty for no condition.">
      {#snippet children(id)}<TextInput {id} name="condition" bind:value={mine.condition} placeholder={'resource.tag.care is "high"'} />{/snippet}
    </Field>
    <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
      <Field label="From" name="from" {problem}>
        {#snippet children(id)}<TextInput {id} name="from" type="datetime-local" bind:value={mine.from} />{/snippet}
      </Field>
      <Field label="Until" name="until" {problem} hint="It ends by itself just before. Empty for no end.">
        {#snippet children(id)}<TextInput {id} name="until" type="datetime-local" bind:value={mine.until} />{/snippet}
      </Field>
    </div>
    <Field label="Why" name="description" {problem}>
      {#snippet children(id)}<TextInput {id} name="why" bind:value={mine.description} />{/snippet}
    </Field>
  {/snippet}
</ChangeDialog>
