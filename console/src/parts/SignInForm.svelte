<!-- Who one is: by name and password, then a code where the account has a second factor, or by a passkey. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { BuildingOutline, FingerprintOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import * as passkey from "../lib/passkey";
  import { focus } from "../lib/focus";
  import { remembered } from "../lib/remembered";
  import Field from "./Field.svelte";
  import PasswordInput from "./PasswordInput.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import TextInput from "./TextInput.svelte";

  // onlost is called by whoever cannot sign in any more, onoutside by whoever signs in at an identity provider.
  let { name = $bindable(remembered.name), begun, onlost, onoutside }: { name?: string; begun: (me: Schemas["Session"]) => void; onlost?: () => void; onoutside?: () => void } = $props();

  const named = name !== ""; // the keyboard begins at what is still to be written
  let password = $state("");
  let code = $state("");
  let wantsCode = $state(false); // the password is right, and there is a second factor
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);

  async function signIn(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      start(await ask(api.POST("/session", { body: { name: name.trim(), password, code: wantsCode ? code.trim() : undefined } })));
    } catch (caught) {
      const p = asProblem(caught);
      if (p.type === "urn:arbora:problem:code-needed") {
        wantsCode = true;
      } else {
        problem = p;
        if (!wantsCode) password = "";
      }
      code = "";
    } finally {
      busy = false;
    }
  }

  function start(me: Schemas["Session"]) {
    if (name.trim()) remembered.name = name.trim();
    remembered.password = me.choosePassword ? password : "";
    begun(me);
  }

  async function byPasskey() {
    busy = true;
    problem = null;
    try {
      const ceremony = await ask(api.POST("/session/passkey/options"));
      const answer = await passkey.get(ceremony.options);
      start(await ask(api.POST("/session/passkey", { body: { token: ceremony.token, answer } })));
    } catch (caught) {
      if (!passkey.wasLeft(caught)) problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }
</script>

<form onsubmit={signIn} class="space-y-5">
  {#if wantsCode}<h2 class="text-lg font-semibold">One more thing</h2>{/if}
  {#if wantsCode}
    <p>Your account has a second factor.</p>
    <Field label="Code" name="code" {problem} hint="The one that your device shows now, or a recovery code.">
      {#snippet children(id)}<TextInput {id} name="code" {@attach focus} bind:value={code} autocomplete="one-time-code" autocapitalize="none" required />{/snippet}
    </Field>
  {:else}
    <Field label="Name" name="name" {problem} hint="NAME@ORGANISATION, or a guest's mail address; a keeper writes NAME alone">
      {#snippet children(id)}<TextInput {id} name="name" {@attach named ? undefined : focus} bind:value={name} autocomplete="username" autocapitalize="none" placeholder="NAME@ORGANISATION" required />{/snippet}
    </Field>
    <Field label="Password" name="password" {problem}>
      {#snippet children(id)}<PasswordInput {id} name="password" {@attach named ? focus : undefined} bind:value={password} autocomplete="current-password" required />{/snippet}
    </Field>
  {/if}
  {#if problem && !problem.field}<ProblemNote {problem} />{/if}
  <Button type="submit" class="w-full" disabled={busy}>Sign in</Button>
  {#if wantsCode}
    <button type="button" class="link" onclick={() => ((wantsCode = false), (password = ""), (problem = null))}>Sign in as somebody else</button>
  {:else if passkey.supported()}
    <QuietButton type="button" class="w-full" onclick={byPasskey} disabled={busy}><FingerprintOutline class="me-2 h-4 w-4" />Sign in with a passkey</QuietButton>
  {/if}
  {#if onoutside && !wantsCode}<QuietButton type="button" class="w-full" onclick={onoutside} disabled={busy}><BuildingOutline class="me-2 h-4 w-4" />Sign in by your own organisation</QuietButton>{/if}
  {#if onlost && !wantsCode}<button type="button" class="link text-sm" onclick={onlost}>I cannot sign in any more</button>{/if}
</form>
