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
  class="w-full rounded-lg border border-gray-300 bg-gray-50 px-3 py-2 text-gray-900 placeholder:text-gray-500 dark:border-gray-600 dark:bg-gray-800 dark:text-gray-100 dark:placeholder:text-gray-400"
/>
<datalist id="{id}-known">
  {#each options as option (option.value)}<option value={option.value}>{option.hint ?? ""}</option>{/each}
</datalist>
