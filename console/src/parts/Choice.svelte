<!-- A text field with a list of known words to choose from. -->
<script lang="ts">
  // onchosen is told when a word was chosen: picked from the list, or typed and left.
  let { id, value = $bindable(""), options, placeholder = "", name, onchosen }: { id: string; value?: string; options: { value: string; hint?: string }[]; placeholder?: string; name: string; onchosen?: () => void } = $props();
</script>

<input
  {id}
  {name}
  list="{id}-known"
  bind:value
  oninput={(event) => {
    if (event instanceof InputEvent && event.inputType === "insertReplacementText") onchosen?.();
  }}
  onchange={() => onchosen?.()}
  {placeholder}
  autocomplete="off"
  spellcheck="false"
  class="w-full field"
/>
<datalist id="{id}-known">
  {#each options as option (option.value)}<option value={option.value}>{option.hint ?? ""}</option>{/each}
</datalist>
