<!-- Asks for the password or a passkey once more, when something takes a fresh proof. -->
<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";
  import { FingerprintOutline } from "flowbite-svelte-icons";
  import { onDestroy } from "svelte";
  import { api, ask, asProblem, type Problem } from "../lib/api";
  import { elsewhere } from "../lib/outside.svelte";
  import * as passkey from "../lib/passkey";
  import { proof } from "../lib/proof.svelte";
  import { session } from "../lib/session.svelte";
  import { capital } from "../lib/words";
  import Field from "./Field.svelte";
  import PasswordInput from "./PasswordInput.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";

  let open = $state(false);
  let password = $state("");
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);

  $effect(() => {
    open = proof.wanted !== null;
  });
  // However it is closed, whoever waits hears of it.
  $effect(() => {
    if (!open && proof.wanted) proof.end(false);
  });

  async function prove(give: () => Promise<unknown>) {
    busy = true;
    problem = null;
    try {
      await give();
      password = "";
      proof.end(true);
    } catch (caught) {
      if (!passkey.wasLeft(caught)) problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }

  // An outside person proves it at their provider.
  let stop = () => {};
  function there() {
    stop();
    stop = elsewhere(true, () => proof.end(true));
  }
  onDestroy(() => stop());

  const byPassword = (event: Event) => {
    event.preventDefault();
    return prove(() => ask(api.POST("/session/proof", { body: { password } })));
  };
  const byPasskey = () => prove(passkey.prove);
</script>

<Modal bind:open size="xs" title="Confirm it is you">
{#if session.me?.provider}
  <div class="space-y-4" data-test="proof">
    <p>{capital(proof.wanted?.detail ?? "")}.</p>
    <p class="quiet">{session.me.provider} opens in another window. When you have signed in there, this page goes on by itself.</p>
    <div class="flex flex-wrap justify-end gap-2">
      <QuietButton type="button" onclick={() => proof.end(false)}>Cancel</QuietButton>
      <Button type="button" onclick={there}>Sign in there again</Button>
    </div>
  </div>
{:else}
  <form onsubmit={byPassword} class="space-y-4" data-test="proof">
    <p>{capital(proof.wanted?.detail ?? "")}.</p>
    <Field label="Password of {session.me?.name ?? ''}" name="password" {problem}>
      {#snippet children(id)}<PasswordInput {id} name="proof" bind:value={password} autocomplete="current-password" required />{/snippet}
    </Field>
    {#if problem && !problem.field}<ProblemNote {problem} />{/if}
    <div class="flex flex-wrap justify-end gap-2">
      {#if passkey.supported()}<QuietButton type="button" class="me-auto" onclick={byPasskey} disabled={busy}><FingerprintOutline class="me-2 h-4 w-4" />Passkey</QuietButton>{/if}
      <QuietButton type="button" onclick={() => proof.end(false)}>Cancel</QuietButton>
      <Button type="submit" disabled={busy || !password}>Go on</Button>
    </div>
  </form>
{/if}
</Modal>
