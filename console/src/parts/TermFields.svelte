<!-- On which terms a grant holds: a condition, a beginning and an end. -->
<script lang="ts">
  import type { Problem } from "../lib/api";
  import Field from "./Field.svelte";
  import TextInput from "./TextInput.svelte";

  let { condition = $bindable(), from = $bindable(), until = $bindable(), problem }: { condition: string; from: string; until: string; problem: Problem | null } = $props();
</script>

<Field label="Only if" name="condition" {problem} hint="As after “if” in a statement, such as context.hour, context.ip, resource.tag.care or subject.name. Empty for no condition.">
  {#snippet children(id)}<TextInput {id} name="condition" bind:value={condition} placeholder={'resource.tag.care is "high"'} />{/snippet}
</Field>
<div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
  <Field label="From" name="from" {problem}>
    {#snippet children(id)}<TextInput {id} name="from" type="datetime-local" bind:value={from} />{/snippet}
  </Field>
  <Field label="Until" name="until" {problem} hint="It ends just before that moment. Empty for no end.">
    {#snippet children(id)}<TextInput {id} name="until" type="datetime-local" bind:value={until} />{/snippet}
  </Field>
</div>
