<!-- A word of Arbora's own that explains itself in place: a press shows what it means, with the way to the glossary. -->
<script lang="ts">
  import { asProblem } from "../lib/api";

  // word is the glossary's; shown is how it stands in the sentence.
  let { word, shown = word }: { word: string; shown?: string } = $props();

  const id = $props.id();
  let meaning = $state("");
  let place = $state("");

  async function open(event: MouseEvent) {
    const { left, bottom } = (event.currentTarget as HTMLElement).getBoundingClientRect();
    place = `left:${Math.max(8, Math.min(left, innerWidth - 336))}px;top:${bottom + 6}px`;
    if (meaning) return;
    try {
      const { default: rows } = await import("../../../docs/glossary.md?words");
      meaning = rows.find((row) => row.word.split(/[,;] /).includes(word))?.meaning ?? "";
    } catch (caught) {
      meaning = asProblem(caught).detail;
    }
  }
</script>

<button type="button" class="cursor-help underline decoration-dotted underline-offset-3" popovertarget={id} onclick={open} data-test="term">{shown}</button><span {id} popover="auto" role="note" style={place} class="fixed inset-auto m-0 w-80 rounded-lg border border-gray-300 bg-white px-4 py-3 text-start text-base font-normal whitespace-normal text-gray-900 shadow-lg dark:border-gray-600 dark:bg-gray-800 dark:text-gray-100">
  <strong class="block">{word}</strong>
  <span class="block">{@html meaning}</span>
  <a class="link mt-1 block text-sm" href="#/glossary?{new URLSearchParams({ find: word })}">Glossary</a>
</span>
