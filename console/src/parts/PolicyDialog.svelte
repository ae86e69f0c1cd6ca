<!-- Suspends, resumes or deletes a policy, after showing what that does. -->
<script lang="ts">
  import { api, ask, type Schemas } from "../lib/api";
  import { sending } from "../lib/sending";
  import ChangeDialog from "./ChangeDialog.svelte";

  export type PolicyAct = "suspend" | "resume" | "delete";
  let { open = $bindable(false), policy, act, ondone }: { open?: boolean; policy: Schemas["Policy"]; act: PolicyAct; ondone: () => void } = $props();

  const verbs = { suspend: "Suspend", resume: "Resume", delete: "Delete" };
  const done = { suspend: "suspended", resume: "resumed", delete: "deleted" };

  const { preview, make } = sending(
    (query, header) => {
      const params = { path: { policy: policy.id }, query, header };
      if (act === "delete") return ask(api.DELETE("/policies/{policy}", { params }));
      return ask(api.PUT("/policies/{policy}/state", { params, body: { state: act === "suspend" ? "suspended" : "active" } }));
    },
    () => `Policy ${policy.name} ${done[act]}.`,
    () => ondone(),
  );
</script>

<ChangeDialog bind:open size="md" title="{verbs[act]} policy {policy.name}?" action="{verbs[act]} policy" {preview} {make}>
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
