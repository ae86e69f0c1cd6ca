<!-- Who holds which role at a scope: what is granted right here, and what is inherited, with where it comes from. -->
<script lang="ts">
  import { type Grant, type Scope } from "../lib/api";
  import { labelled } from "../lib/labelled";
  import { count, href, moment, terms } from "../lib/words";
  import GrantEditDialog from "./GrantEditDialog.svelte";
  import NewMark from "./NewMark.svelte";
  import RevokeDialog from "./RevokeDialog.svelte";
  import RoleName from "./RoleName.svelte";
  import StateMark from "./StateMark.svelte";
  import InheritancePath from "./InheritancePath.svelte";
  import Who from "./Who.svelte";

  let { grants, scope, fresh, onchange }: { grants: Grant[]; scope: Scope; fresh: string; onchange: () => void } = $props();

  let chosen = $state.raw<Grant | null>(null);
  let revoking = $state(false);
  let editing = $state(false);

  const mayRevoke = $derived(scope.may.includes("revoke grant"));

  function origin(grant: Grant): number {
    return scope.path.findIndex((part) => part.id === grant.scope.id);
  }
</script>

{#if grants.length === 0}
  <p class="card quiet px-5 py-4">Nobody holds anything here, neither directly nor from above. All is denied.</p>
{:else}
  <div class="card overflow-x-auto">
    <table {@attach labelled} class="rows" data-test="access">
      <thead>
        <tr><th>Who</th><th>Role</th><th>Comes from</th><th>Granted</th><th><span class="sr-only">Edit or revoke</span></th></tr>
      </thead>
      <tbody>
        {#each grants as grant (grant.id)}
          <tr class={grant.id === fresh ? "[&>td]:bg-primary-50! dark:[&>td]:bg-primary-950!" : ""} data-origin={grant.scope.address}>
            <td class="min-w-44">
              <Who who={grant.principal} />
              {#if grant.holderState}<span class="mt-1 block"><StateMark state={grant.holderState} /> <span class="text-sm text-copper-700 dark:text-copper-300">holds nothing by it{grant.holderState === "pending" ? " until they accept" : ""}</span></span>{/if}
            </td>
            <td>
              <RoleName name={grant.role} privileged={grant.privileged} />
              {#if terms(grant)}<span class="quiet block text-sm">{terms(grant)}</span>{/if}
              {#each grant.losses ?? [] as loss (loss.statement.policy.id + loss.statement.number)}
                <span class="mt-0.5 block text-sm text-copper-700 dark:text-copper-300" data-test="loss" title={loss.permissions.join(", ")}>
                  {loss.all ? "All of it" : count(loss.permissions.length, "permission")} cut off here by
                  <a class="link" href={href.policy(loss.statement.policy.id)}>{loss.statement.policy.name}</a>: <code class="statement">{loss.statement.text}</code>
                </span>
              {/each}
              {#if grant.misplaced}<span class="block text-sm text-copper-700 dark:text-copper-300">misplaced: since a move, this role could not be granted here</span>{/if}
            </td>
            <td>
              <span class="flex items-center gap-2.5">
                <InheritancePath length={scope.path.length} origin={origin(grant)} />
                {#if grant.inherited}
                  <span>inherited from <a class="link" href={href.scope(grant.scope.address)} title={grant.scope.address}>{grant.scope.name}</a></span>
                {:else}
                  <span>granted here</span>
                {/if}
                {#if grant.id === fresh}<NewMark />{/if}
              </span>
            </td>
            <td class="quiet max-w-64 text-sm">
              <span class="whitespace-nowrap">{moment(grant.createdAt)}</span> by {grant.createdBy}
              {#if grant.description}<span class="block" data-test="reason">“{grant.description}”</span>{/if}
            </td>
            <td class="text-right whitespace-nowrap">
              {#if mayRevoke && !grant.inherited}
                <button type="button" class="link me-3 text-sm" onclick={() => ((chosen = grant), (editing = true))} aria-label="Edit the grant of {grant.role} to {grant.principal.name}">Edit</button>
                <button type="button" class="link text-sm" onclick={() => ((chosen = grant), (revoking = true))} aria-label="Revoke {grant.role} from {grant.principal.name}">Revoke</button>
              {/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}

{#if chosen}
  <RevokeDialog bind:open={revoking} grant={chosen} ondone={onchange} />
  <GrantEditDialog bind:open={editing} grant={chosen} ondone={onchange} />
{/if}
