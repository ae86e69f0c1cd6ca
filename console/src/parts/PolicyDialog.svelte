<!-- Suspends, resumes or deletes a policy, after showing what that does. -->
<script lang="ts">
  import { api, ask, confirming, type Schemas } from "../lib/api";
  import { undo } from "../lib/undo.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";

  type Impact = Schemas["Impact"] | null;
  export type PolicyAct = "suspend" | "resume" | "delete";
  let { open = $bindable(false), policy, act, ondone }: { open?: boolean; policy: Schemas["Policy"]; act: PolicyAct; ondone: () => void } = $props();

  const verbs = { suspend: "Suspend", resume: "Resume", delete: "Delete" };
  const done = { suspend: "suspended", resume: "resumed", delete: "deleted" };

  function send(preview: boolean, impact: Impact): Promise<Schemas["Written"]> {
    const params = { path: { policy: policy.id }, query: { preview }, header: confirming(impact) };
    if (act === "delete") return ask(api.DELETE("/policies/{policy}", { params }));
    return ask(api.PUT("/policies/{policy}/state", { params, body: { state: act === "suspend" ? "suspended" : "active" } }));
  }

  async function make(impact: Impact) {
    const [name, told] = [policy.name, done[act]];
    const { revision } = await send(false, impact);
    ondone();
    undo.offer(`Policy ${name} ${told}.`, revision);
  }
</script>

<ChangeDialog bind:open size="md" title="{verbs[act]} policy {policy.name}?" action="{verbs[act]} policy" preview={async () => (await send(true, null)).impact ?? null} {make}>
  {#snippet children()}
    {#if act === "suspend"}
      <p>The policy decides nothing until it is resumed. You can still edit its text.</p>
    {:else if act === "resume"}
      <p>Its statements decide again, at once.</p>
    {:else}
      <p>The policy goes with all its statements. To stop it for a while, suspend it.</p>
    {/if}
  {/snippet}
</ChangeDialog>
