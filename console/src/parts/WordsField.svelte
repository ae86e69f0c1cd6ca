<!-- Words of a statement as a row of marks: each is taken out by its cross, others are chosen from a list. -->
<script lang="ts">
  import { CloseOutline } from "flowbite-svelte-icons";
  import Choice from "./Choice.svelte";

  let {
    label, name, words, options, placeholder = "", write = (word) => word, onchange,
  }: { label: string; name: string; words: string[]; options: string[]; placeholder?: string; write?: (word: string) => string; onchange: (words: string[]) => void } = $props();

  let typed = $state("");
  const id = $props.id();

  function add() {
    const word = write(typed.trim());
    if (typed.trim() && !words.includes(word)) onchange([...words, word]);
    typed = "";
  }

  // A word that was typed whole is taken at once, unless others begin with it.
  $effect(() => {
    if (options.includes(typed) && !options.some((o) => o !== typed && o.startsWith(typed))) add();
  });
</script>

<div>
  <label class="label" for={id}>{label}</label>
  <div class="flex flex-wrap items-center gap-1.5">
    {#each words as word (word)}
      <span class="flex items-center gap-1 rounded-full bg-primary-100 py-0.5 pr-1 pl-2.5 font-mono text-sm dark:bg-primary-900">
        {word}
        <button type="button" aria-label="Remove {word}" class="rounded-full p-0.5 hover:bg-primary-200 dark:hover:bg-primary-800" onclick={() => onchange(words.filter((w) => w !== word))}><CloseOutline class="h-3 w-3" /></button>
      </span>
    {/each}
    <div class="min-w-40 flex-1"><Choice {id} {name} bind:value={typed} options={options.map((value) => ({ value }))} {placeholder} adds onchosen={add} /></div>
  </div>
</div>
