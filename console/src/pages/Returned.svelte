<!-- Where a window ends that was opened to sign in at an identity provider once more: the one that waits goes on. -->
<script lang="ts">
  import { onMount } from "svelte";
  import { tellReturned } from "../lib/outside.svelte";
  import Page from "../parts/Page.svelte";

  onMount(() => {
    tellReturned();
    window.close();
  });
</script>

<Page title="You are back">
  <p>Close this window: the other one goes on by itself.</p>
</Page>
