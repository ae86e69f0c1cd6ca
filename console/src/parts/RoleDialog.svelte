<!-- Deletes a custom role, with its grants where it has some, after showing what that does. -->
<script lang="ts">
  import { push } from "svelte-spa-router";
  import { api, ask, type Schemas } from "../lib/api";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";

  let { open = $bindable(false), details }: { open?: boolean; details: Schemas["RoleDetails"] } = $props();

  const name = $derived(details.role.name);
  const grants = $derived(details.grants.length > 0);

  const { preview, make } = sending(
    (query, header) => ask(api.DELETE("/scopes/{scope}/roles/{role}", { params: { path: { scope: session.organisation, role: name }, query: { ...query, grants }, header } })),
    () => `Role ${name} deleted.`,
    () => push("/roles"),
  );
</script>

<ChangeDialog bind:open title="Delete role {name}?" action="Delete" {preview} {make}>
  {#snippet children()}
    <p>{grants ? `It is granted ${count(details.grants.length, "time")}; these grants are revoked with it.` : "Nobody holds it by a grant."}</p>
    {#if details.statements.length > 0}<p class="quiet">{count(details.statements.length, "statement")} name{details.statements.length === 1 ? "s" : ""} it: remove it from {details.statements.length === 1 ? "that statement" : "them"} first.</p>{/if}
  {/snippet}
</ChangeDialog>
