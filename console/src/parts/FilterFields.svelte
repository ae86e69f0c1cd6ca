<!-- What a custom role picks, or leaves out: each line picks the permissions that match all that is said in it. -->
<script lang="ts">
  import { PlusOutline } from "flowbite-svelte-icons";
  import type { Schemas } from "../lib/api";
  import type { Vocabulary } from "../lib/language";
  import { classes } from "../lib/matrix";
  import QuietButton from "./QuietButton.svelte";
  import WordsField from "./WordsField.svelte";

  type Filter = Schemas["RoleFilter"];
  let { filters = $bindable([]), known, name, word }: { filters: Filter[]; known: Vocabulary | null; name: string; word: string } = $props();

  const fields = $derived<{ key: keyof Filter; label: string; options: string[] }[]>([
    { key: "services", label: "Services", options: known?.services ?? [] },
    { key: "types", label: "Types", options: known?.types ?? [] },
    { key: "classes", label: "Classes", options: [...classes] },
    { key: "operations", label: "Operations", options: known?.operations ?? [] },
    { key: "planes", label: "Planes", options: ["control", "data"] },
  ]);
  const alter = (i: number, key: keyof Filter, words: string[]) => (filters = filters.map((f, n) => (n === i ? { ...f, [key]: words.length ? words : undefined } : f)));
</script>

<div class="space-y-3">
  {#each filters as filter, i (i)}
    <div class="rounded-lg border border-gray-200 p-4 dark:border-gray-700" data-test={name}>
      <div class="grid grid-cols-2 gap-3 max-sm:grid-cols-1">
        {#each fields as f (f.key)}
          <WordsField label={f.label} name="{name}-{f.key}" words={filter[f.key] ?? []} options={f.options} placeholder="any" onchange={(words) => alter(i, f.key, words)} />
        {/each}
      </div>
      <div class="mt-2 flex"><button type="button" class="link ml-auto text-sm" onclick={() => (filters = filters.filter((_, n) => n !== i))}>Remove this line</button></div>
    </div>
  {/each}
  <QuietButton size="sm" type="button" onclick={() => (filters = [...filters, {}])}><PlusOutline class="me-2 h-4 w-4" />{word}</QuietButton>
</div>
