<!-- Suspends, retires or restores somebody, after showing what that does. -->
<script lang="ts">
  import { api, ask, confirming, type Schemas } from "../lib/api";
  import { undo } from "../lib/undo.svelte";
  import { session } from "../lib/session.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), of, to, ondone }: { open?: boolean; of: Schemas["PrincipalDetails"]; to: Schemas["State"]; ondone: () => void } = $props();

  const verbs: Record<string, string> = { suspended: "Suspend", retired: "Retire", active: "Restore" };
  const withdraws = $derived(of.state === "pending" && to === "retired");
  const verb = $derived(withdraws ? "Withdraw the invitation of" : verbs[to]);
  const path = $derived({ organisation: session.organisation, kind: of.kind, principal: of.name });

  async function preview(): Promise<Impact> {
    return (await ask(api.PUT("/organisations/{organisation}/principals/{kind}/{principal}/state", { params: { path, query: { preview: true } }, body: { state: to } }))).impact ?? null;
  }

  const done: Record<string, string> = { suspended: "suspended", retired: "retired", active: "restored" };

  async function make(impact: Impact) {
    const [name, was, told] = [of.title || of.name, of.state, done[to]];
    const { revision } = await ask(api.PUT("/organisations/{organisation}/principals/{kind}/{principal}/state", { params: { path, header: confirming(impact) }, body: { state: to } }));
    ondone();
    if (was === "pending") return; // its link is gone for good; it takes another invitation
    undo.offer(`${name} ${told}.`, revision);
  }
</script>

<ChangeDialog bind:open title="{verb} {of.name}?" action={withdraws ? "Withdraw it" : (verbs[to] ?? "")} {preview} {make}>
  {#snippet children()}
    {#if withdraws}
      <p>The link in the mail no longer works. You can invite them once more later.</p>
    {:else if of.kind === "group"}
      <p>{to === "active" ? "What the group holds counts for its members again." : "The group gives its members nothing any more, at once. Its members and grants stay written, and it can be restored."}</p>
    {:else if of.kind === "provider"}
      <p>{to === "active" ? "The access of everybody who comes by it counts again, at once." : "Everybody who comes by it loses all access at once. What was granted is kept, and it can be restored."}</p>
    {:else if to === "active"}
      <p>The access of <strong>{of.name}</strong> counts again, at once. {of.state === "retired" && of.kind === "user" ? "The password works as before. Earlier sessions and API keys stay revoked." : "Passwords and API keys work as before. Earlier sessions stay revoked."}</p>
    {:else}
      <p><strong>{of.name}</strong> loses access at once: every session, API key, access token and check is refused from the next request on.</p>
      <p class="quiet">What was granted is kept{to === "retired" ? ", and can be handed to somebody else" : ""}{to === "retired" && of.kind === "user" ? "; their API keys are revoked for good" : ""}. It can be restored.</p>
    {/if}
  {/snippet}
</ChangeDialog>
