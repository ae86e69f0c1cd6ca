<!-- The passkeys of somebody else, each of which can be removed. -->
<script lang="ts">
  import { api, ask } from "../lib/api";
  import { labelled } from "../lib/labelled";
  import { Reading } from "../lib/reading.svelte";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";

  let { name, mayRemove }: { name: string; mayRemove: boolean } = $props();

  const path = $derived({ organisation: session.organisation, kind: "user" as const, principal: name });

  const read = new Reading(async () => (await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/passkeys", { params: { path } }))).passkeys);
  const passkeys = $derived(read.value ?? []);

  const remove = (passkey: string) => read.after(() => ask(api.DELETE("/organisations/{organisation}/principals/{kind}/{principal}/passkeys/{passkey}", { params: { path: { ...path, passkey } } })));
</script>

{#if passkeys.length > 0 || read.problem}
  <section class="mt-7" aria-labelledby="passkeys-heading">
    <h2 id="passkeys-heading" class="mb-2 text-lg font-semibold">Passkeys</h2>
    {#if read.problem}<div class="mb-3"><ProblemNote problem={read.problem} /></div>{/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex: what scrolls must be reached by keyboard -->
    <div class="card overflow-x-auto" role="region" aria-label="Passkeys" tabindex="0">
      <table {@attach labelled} class="rows" data-test="passkeys-of">
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
