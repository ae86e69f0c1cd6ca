<script lang="ts">
  import Person from "./Person.svelte";

  let { params }: { params?: { wild: string } } = $props();

  const address = $derived((params?.wild ?? "").split("/").map(decodeURIComponent).join("/"));
</script>

{#key address}<Person kind="service-account" name={address} />{/key}
