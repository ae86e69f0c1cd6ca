<!-- Revokes a grant, after showing what that does. -->
<script lang="ts">
  import { api, ask, confirming, type Grant, type Schemas } from "../lib/api";
  import { undo } from "../lib/undo.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), grant, ondone }: { open?: boolean; grant: Grant; ondone: () => void } = $props();

  const alone = $derived(grant.scope.name.includes(".")); // a resource: nothing is below it

  function send(preview: boolean, impact: Impact): Promise<Schemas["Written"]> {
    return ask(api.DELETE("/grants/{grant}", { params: { path: { grant: grant.id }, query: { preview }, header: confirming(impact) } }));
  }

  async function make(impact: Impact) {
    const told = `${grant.role} revoked from ${grant.principal.name} at ${grant.scope.name}.`;
    const { revision } = await send(false, impact);
    ondone();
    undo.offer(told, revision);
  }
</script>

<ChangeDialog bind:open title="Revoke this grant?" action="Revoke" preview={async () => (await send(true, null)).impact ?? null} {make}>
  {#snippet children()}
    <p>
      <strong>{grant.principal.kind} {grant.principal.name}</strong> loses <strong>{grant.role}</strong> at
      <span class="address">{grant.scope.address}</span>{alone ? "" : " and everything below"}.
    </p>
    <p class="quiet">Other grants stay as they are.</p>
  {/snippet}
</ChangeDialog>
