<script lang="ts">
  import Elsewhere from "../parts/Elsewhere.svelte";
  import Page from "../parts/Page.svelte";
</script>

<Page title="There is no such page" lead="The address may be mistyped, or it is of a later version.">
  <p><a class="link" href="#/">Back to the start</a></p>
  <Elsewhere />
</Page>
