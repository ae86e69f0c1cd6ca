<!-- On which terms a grant holds: a condition, a beginning and an end. -->
<script lang="ts">
  import type { Problem } from "../lib/api";
  import Field from "./Field.svelte";
  import MomentInput from "./MomentInput.svelte";
  import TextInput from "./TextInput.svelte";

  let { condition = $bindable(), from = $bindable(), until = $bindable(), problem }: { condition: string; from: string; until: string; problem: Problem | null } = $props();

  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const examples = [
    { word: "working hours", text: `context.hour("${zone}") >= 8 and context.hour("${zone}") < 18` },
    { word: "weekdays", text: `not context.weekday("${zone}") in ("saturday", "sunday")` },
    { word: "a network", text: 'context.ip within "192.0.2.0/24"' },
    { word: "a tag of the resource", text: 'resource.tag.care is "high"' },
  ];
  const add = (text: string) => (condition = condition.trim() ? `${condition.trim()} and ${text}` : text);
</script>

<Field label="Only if" name="condition" {problem} hint="As after “if” in a statement.">
  {#snippet children(id)}<TextInput {id} name="condition" bind:value={condition} placeholder={'resource.tag.care is "high"'} />{/snippet}
</Field>
<p class="-mt-2 flex flex-wrap gap-x-4 gap-y-1 text-sm"><span class="quiet">Insert:</span>{#each examples as example (example.word)}<button type="button" class="link" onclick={() => add(example.text)}>{example.word}</button>{/each}</p>
<div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
  <Field label="From" name="from" {problem}>
    {#snippet children(id)}<MomentInput {id} name="from" bind:value={from} />{/snippet}
  </Field>
  <Field label="Until" name="until" {problem} hint="It ends just before that moment ({zone}).">
    {#snippet children(id)}<MomentInput {id} name="until" bind:value={until} />{/snippet}
  </Field>
</div>
