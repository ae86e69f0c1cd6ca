<!-- Asks to sign in again over the page that was open when the session ended: nothing that was written on it is lost. -->
<script lang="ts">
  import { Modal } from "flowbite-svelte";
  import { session } from "../lib/session.svelte";
  import { capital } from "../lib/words";
  import SignInForm from "./SignInForm.svelte";

  const name = session.me?.organisation && session.me.kind !== "guest" ? `${session.me.name}@${session.me.organisation}` : (session.me?.name ?? "");
</script>

<Modal open dismissable={false} size="xs" title="Your session has ended" oncancel={(event) => event.preventDefault()}>
  <div class="space-y-4" data-test="lapsed">
    <p>{capital(session.lapsed)}. Sign in again to go on: what you wrote is still here.</p>
    <SignInForm {name} begun={(me) => session.resume(me)} />
    <p><button type="button" class="link text-sm" onclick={() => session.end()}>Leave this page, and start anew</button></p>
  </div>
</Modal>
