<!-- Adds a passkey: the browser makes it, and its owner gives it a name. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem } from "../lib/api";
  import * as passkey from "../lib/passkey";
  import ProblemNote from "./ProblemNote.svelte";
  import TextInput from "./TextInput.svelte";

  let { ondone }: { ondone: () => void } = $props();

  let label = $state("");
  let problem = $state.raw<Problem | null>(null);

  async function add(event: Event) {
    event.preventDefault();
    problem = null;
    try {
      const ceremony = await ask(api.POST("/profile/passkeys/options"));
      const answer = await passkey.create(ceremony.options);
      await ask(api.POST("/profile/passkeys", { body: { token: ceremony.token, label: label || "passkey", answer } }));
      label = "";
      ondone();
    } catch (caught) {
      if (!passkey.wasLeft(caught)) problem = asProblem(caught);
    }
  }
</script>

{#if passkey.supported()}
  <form onsubmit={add} class="flex flex-wrap items-end gap-3">
    <label class="w-56"><span class="label">A name for the passkey</span><TextInput name="passkey-label" bind:value={label} placeholder="laptop" autocomplete="off" /></label>
    <Button type="submit">Add a passkey</Button>
  </form>
{:else if passkey.byNumber()}
  <p class="quiet text-sm">Passkeys belong to a name, not to a network address: open the console at <a class="link" href="http://localhost:{location.port}/#/account">localhost</a> to add one.</p>
{:else}
  <p class="quiet text-sm">This browser has none.</p>
{/if}
{#if problem}<div class="mt-4"><ProblemNote {problem} /></div>{/if}
