<!-- Asks to sign in again over the page that was open when the session ended: nothing that was written on it is lost. -->
<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";
  import { onDestroy } from "svelte";
  import { api, ask } from "../lib/api";
  import { elsewhere } from "../lib/outside.svelte";
  import { session } from "../lib/session.svelte";
  import { capital } from "../lib/words";
  import SignInForm from "./SignInForm.svelte";

  // In another window, so that this page stays as it is.
  let stop = () => {};
  function there() {
    stop();
    stop = elsewhere(false, async () => session.resume(await ask(api.GET("/session"))));
  }
  onDestroy(() => stop());

  const name = session.me?.organisation && session.me.kind !== "guest" ? `${session.me.name}@${session.me.organisation}` : (session.me?.name ?? "");
</script>

<Modal open dismissable={false} size="xs" title="Your session has ended" oncancel={(event) => event.preventDefault()}>
  <div class="space-y-4" data-test="lapsed">
    <p>{capital(session.lapsed)}. Sign in again to go on: what you wrote is still here.</p>
    {#if session.me?.provider}
      <Button class="w-full" onclick={there}>Sign in at {session.me.provider}</Button>
    {:else}
    <SignInForm {name} begun={(me) => session.resume(me)} />
    {/if}
    <p><button type="button" class="link text-sm" onclick={() => session.end()}>Leave this page, and start anew</button></p>
  </div>
</Modal>
