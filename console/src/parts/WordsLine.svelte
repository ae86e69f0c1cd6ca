<!-- A line of words separated by spaces or commas. What is typed stays as it is typed while the words are taken from it. -->
<script lang="ts">
  import { untrack } from "svelte";
  import TextInput from "./TextInput.svelte";

  let { words, onchange, ...rest }: { words: string[]; onchange: (words: string[]) => void; id: string; name: string; placeholder?: string } = $props();

  const apart = (text: string) => text.split(/[\s,]+/).filter(Boolean);
  let typed = $state(untrack(() => words.join(" ")));

  // Words that are altered elsewhere are shown.
  $effect(() => {
    if (apart(untrack(() => typed)).join(" ") !== words.join(" ")) typed = words.join(" ");
  });
</script>

<TextInput {...rest} bind:value={() => typed, (text) => ((typed = text), onchange(apart(text)))} />
