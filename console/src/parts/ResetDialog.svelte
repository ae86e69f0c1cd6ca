<!-- Resets the password of a user, and ends the other ways into the account. -->
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
    <p><strong>{of.title || of.name}</strong> gets a temporary password and chooses another at the first sign-in. You see it once. All sessions, links and terminals of this account stop working at once.</p>
    <div class="space-y-2">
      <Checkbox name="remove-passkeys" bind:checked={passkeys}>Remove their passkeys, too</Checkbox>
      <Checkbox name="revoke-keys" bind:checked={keys}>Revoke their API keys, too</Checkbox>
    </div>
    {#if !passkeys || !keys}<p class="quiet">A person who has one of these can still sign in. Keep them only if you know who has them.</p>{/if}
  {/snippet}
</ChangeDialog>
