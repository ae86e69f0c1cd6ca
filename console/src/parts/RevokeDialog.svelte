<!-- Revokes a grant, after showing what that does. -->
<script lang="ts">
  import { api, ask, type Grant } from "../lib/api";
  import { sending } from "../lib/sending";
  import ChangeDialog from "./ChangeDialog.svelte";

  let { open = $bindable(false), grant, ondone }: { open?: boolean; grant: Grant; ondone: () => void } = $props();

  const alone = $derived(grant.scope.name.includes(".")); // a resource: nothing is below it

  const { preview, make } = sending(
    (query, header) => ask(api.DELETE("/grants/{grant}", { params: { path: { grant: grant.id }, query, header } })),
    () => `${grant.role} revoked from ${grant.principal.name} at ${grant.scope.name}.`,
    () => ondone(),
  );
</script>

<ChangeDialog bind:open title="Revoke this grant?" action="Revoke" {preview} {make}>
  {#snippet children()}
    <p>
      <strong>{grant.principal.kind} {grant.principal.name}</strong> loses <strong>{grant.role}</strong> at
      <span class="address">{grant.scope.address}</span>{alone ? "" : " and everything below"}.
    </p>
    <p class="quiet">Other grants stay as they are.</p>
  {/snippet}
</ChangeDialog>
