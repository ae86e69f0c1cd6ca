<!-- Removes a member from a group, after showing what that does. -->
<script lang="ts">
  import { api, ask, confirming, type PrincipalRef, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { undo } from "../lib/undo.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), member, group, ondone }: { open?: boolean; member: PrincipalRef; group: string; ondone: () => void } = $props();

  function send(preview: boolean, impact: Impact): Promise<Schemas["Written"]> {
    const params = { path: { organisation: session.organisation, group, kind: member.kind, member: member.name }, query: { preview }, header: confirming(impact) };
    return ask(api.DELETE("/organisations/{organisation}/groups/{group}/members/{kind}/{member}", { params }));
  }

  async function make(impact: Impact) {
    const told = `${member.name} removed from ${group}.`;
    const { revision } = await send(false, impact);
    ondone();
    undo.offer(told, revision);
  }
</script>

<ChangeDialog bind:open title="Remove {member.name} from {group}?" action="Remove" preview={async () => (await send(true, null)).impact ?? null} {make}>
  {#snippet children()}
    <p>What they hold by other groups and by grants of their own stays.</p>
  {/snippet}
</ChangeDialog>
