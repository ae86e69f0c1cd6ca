<!-- Removes a member from a group, after showing what that does. -->
<script lang="ts">
  import { api, ask, type PrincipalRef } from "../lib/api";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";

  let { open = $bindable(false), member, group, ondone }: { open?: boolean; member: PrincipalRef; group: string; ondone: () => void } = $props();

  const { preview, make } = sending(
    (query, header) => {
      const path = { organisation: session.organisation, group, kind: member.kind, member: member.name };
      return ask(api.DELETE("/organisations/{organisation}/groups/{group}/members/{kind}/{member}", { params: { path, query, header } }));
    },
    () => `${member.name} removed from ${group}.`,
    () => ondone(),
  );
</script>

<ChangeDialog bind:open title="Remove {member.name} from {group}?" action="Remove" {preview} {make}>
  {#snippet children()}
    <p>What they hold by other groups and by grants of their own stays.</p>
  {/snippet}
</ChangeDialog>
