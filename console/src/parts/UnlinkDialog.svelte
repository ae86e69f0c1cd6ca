<!-- Removes the link of a group from outside to a group, after showing who leaves the group by that. -->
<script lang="ts">
  import { api, ask } from "../lib/api";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";

  let { open = $bindable(false), provider, outsideGroup, group }: { open?: boolean; provider: string; outsideGroup: string; group: string } = $props();

  const { preview, make } = sending(
    (query, header) => ask(api.DELETE("/organisations/{organisation}/providers/{provider}/links/{group}/{outsideGroup}", { params: { path: { organisation: session.organisation, provider, group, outsideGroup }, query, header } })),
    () => `Link of ${outsideGroup} to ${group} removed.`,
    () => {},
  );
</script>

<ChangeDialog bind:open title="Remove the link of {outsideGroup} to {group}?" action="Remove the link" {preview} {make}>
  {#snippet children()}
    <p>People who are in {group} by it alone leave the group at once.</p>
  {/snippet}
</ChangeDialog>
