<!-- Bounds how much an organisation may have. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { labelled } from "../lib/labelled";
  import { quotas, thousands } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import ProblemNote from "./ProblemNote.svelte";

  let { open = $bindable(false), organisation }: { open?: boolean; organisation: string } = $props();

  let shown = $state.raw<Schemas["QuotasShown"] | null>(null);
  let set = $state<Schemas["Quotas"]>({});
  let problem = $state.raw<Problem | null>(null);

  const path = $derived({ organisation });

  async function begin() {
    [shown, problem, set] = [null, null, {}];
    try {
      shown = await ask(api.GET("/organisations/{organisation}/quotas", { params: { path } }));
      set = { ...shown.set };
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    if (open) untrack(begin);
  });

  async function make() {
    const body = Object.fromEntries(Object.entries(set).filter(([, most]) => most));
    await ask(api.PUT("/organisations/{organisation}/quotas", { params: { path }, body }));
  }
</script>

<ChangeDialog bind:open size="md" title="Quotas of {organisation}" action="Set them" ready={shown !== null} {make}>
  {#snippet children()}
    <p class="quiet">Nothing is removed. Leave a field empty to use the usual number.</p>
    {#if problem}<ProblemNote {problem} />{/if}
    {#if shown}
      <div class="overflow-x-auto"><table {@attach labelled} class="rows" data-test="quotas">
        <thead><tr><th>What</th><th class="text-right">There are</th><th>At most</th></tr></thead>
        <tbody>
          {#each quotas as { key, words } (key)}
            <tr>
              <td><label for="quota-{key}">{words}</label></td>
              <td class="text-right">{thousands(shown.has[key])}</td>
              <td><input id="quota-{key}" name={key} type="number" min="1" class="w-36 field" placeholder={thousands(set[key] ? undefined : shown.most[key])} bind:value={() => set[key] ?? null, (most) => (set[key] = most ?? undefined)} /></td>
            </tr>
          {/each}
        </tbody>
      </table></div>
    {/if}
  {/snippet}
</ChangeDialog>
