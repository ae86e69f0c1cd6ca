<!-- The passkeys of somebody else, each of which can be removed. -->
<script lang="ts">
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";

  let { name, mayRemove }: { name: string; mayRemove: boolean } = $props();

  let passkeys = $state.raw<Schemas["Passkey"][]>([]);
  let problem = $state.raw<Problem | null>(null);

  const path = $derived({ organisation: session.organisation, kind: "user" as const, principal: name });

  async function load() {
    try {
      passkeys = (await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/passkeys", { params: { path } }))).passkeys;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });
  whenChanged(load);

  async function remove(passkey: string) {
    problem = null;
    try {
      await ask(api.DELETE("/organisations/{organisation}/principals/{kind}/{principal}/passkeys/{passkey}", { params: { path: { ...path, passkey } } }));
      await load();
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
</script>

{#if passkeys.length > 0 || problem}
  <section class="mt-7" aria-labelledby="passkeys-heading">
    <h2 id="passkeys-heading" class="mb-2 text-lg font-semibold">Passkeys</h2>
    {#if problem}<div class="mb-3"><ProblemNote {problem} /></div>{/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex: what scrolls must be reached by keyboard -->
    <div class="card overflow-x-auto" role="region" aria-label="Passkeys" tabindex="0">
      <table class="rows" data-test="passkeys-of">
        <thead><tr><th>Name</th><th>Since</th><th>Last used</th><th><span class="sr-only">Remove</span></th></tr></thead>
        <tbody>
          {#each passkeys as key (key.id)}
            <tr>
              <td>{key.label}</td>
              <td class="quiet text-sm whitespace-nowrap">{moment(key.createdAt)}</td>
              <td class="quiet text-sm whitespace-nowrap">{key.lastUsedAt ? moment(key.lastUsedAt) : "never"}</td>
              <td class="text-right">{#if mayRemove}<button type="button" class="link text-sm" onclick={() => remove(key.id)} aria-label="Remove passkey {key.label}">Remove</button>{/if}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  </section>
{/if}
