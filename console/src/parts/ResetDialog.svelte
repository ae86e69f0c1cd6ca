<!-- Gives somebody a new temporary password, and ends what else opened their account before. -->
<script lang="ts">
  import { Checkbox } from "flowbite-svelte";
  import { api, ask, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";

  let { open = $bindable(false), of, ondone }: { open?: boolean; of: Schemas["PrincipalDetails"]; ondone: (password: string, ended: string[]) => void } = $props();

  let passkeys = $state(true);
  let keys = $state(true);
  const ended = $derived(["sessions", "links", ...(passkeys ? ["passkeys"] : []), ...(keys ? ["API keys"] : [])]);

  async function make() {
    const made = await ask(
      api.POST("/organisations/{organisation}/principals/{kind}/{principal}/password", {
        params: { path: { organisation: session.organisation, kind: of.kind, principal: of.name }, query: { keepPasskeys: !passkeys, keepKeys: !keys } },
      }),
    );
    ondone(made.password, ended);
  }
</script>

<ChangeDialog bind:open title="Reset the password of {of.name}?" action="Reset it" {make}>
  {#snippet children()}
    <p><strong>{of.title || of.name}</strong> gets a temporary password, shown to you once, and chooses another at the first sign-in. Every session ends at once, and so do links and terminals that were let in.</p>
    <div class="space-y-2">
      <Checkbox name="end-passkeys" bind:checked={passkeys}>End their passkeys, too</Checkbox>
      <Checkbox name="end-keys" bind:checked={keys}>End their API keys, too</Checkbox>
    </div>
    {#if !passkeys || !keys}<p class="quiet">What is left goes on letting in whoever has it: leave it only when you know who that is.</p>{/if}
  {/snippet}
</ChangeDialog>
