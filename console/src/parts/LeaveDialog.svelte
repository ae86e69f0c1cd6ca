<!-- Asks whether what is shown once has been kept, before its page is left. -->
<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";
  import { leaving } from "../lib/leaving.svelte";
  import QuietButton from "./QuietButton.svelte";
</script>

<Modal open dismissable={false} size="xs" title="Have you kept the secret?" onclose={() => leaving.stay()}>
  <div class="space-y-4" data-test="leave">
    <p>This page shows a secret that you have neither copied nor saved. It is not shown again.</p>
    <div class="flex justify-end gap-2">
      <QuietButton onclick={() => leaving.go()}>Leave without it</QuietButton>
      <Button onclick={() => leaving.stay()}>Stay on this page</Button>
    </div>
  </div>
</Modal>
