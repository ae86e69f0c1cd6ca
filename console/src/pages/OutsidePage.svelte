<script lang="ts">
  import Person from "./Person.svelte";

  let { params }: { params?: { name: string } } = $props();
</script>

{#key params?.name}<Person kind="outside-person" name={params?.name ?? ""} />{/key}
