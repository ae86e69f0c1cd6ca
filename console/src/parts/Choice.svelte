<!-- A text field with a list of known words to choose from. -->
<script lang="ts">
  let { id, value = $bindable(""), options, placeholder = "", name }: { id: string; value?: string; options: { value: string; hint?: string }[]; placeholder?: string; name: string } = $props();
</script>

<input
  {id}
  {name}
  list="{id}-known"
  bind:value
  {placeholder}
  autocomplete="off"
  spellcheck="false"
  class="w-full field"
/>
<datalist id="{id}-known">
  {#each options as option (option.value)}<option value={option.value}>{option.hint ?? ""}</option>{/each}
</datalist>
