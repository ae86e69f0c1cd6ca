<!-- The API keys that somebody issued for programs and others: who leaves may know their secrets, so each can be exchanged. -->
<script lang="ts">
  import { Radio } from "flowbite-svelte";
  import { api, ask, type Schemas } from "../lib/api";
  import { labelled } from "../lib/labelled";
  import { Reading } from "../lib/reading.svelte";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import SecretDialog from "./SecretDialog.svelte";
  import Who from "./Who.svelte";

  let { name, left }: { name: string; left: boolean } = $props();

  const read = new Reading(() => ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/issued-keys", { params: { path: { organisation: session.organisation, kind: "user", principal: name } } })));
  const list = $derived(read.value);
  let made = $state.raw<Schemas["KeyMade"] | null>(null);
  let exchanging = $state(false);
  let old = $state.raw<Schemas["Key"] | null>(null);
  let keep = $state(0); // minutes

  function begin(key: Schemas["Key"]) {
    [old, keep, exchanging] = [key, 0, true];
  }

  async function make() {
    if (!old) return;
    made = await ask(api.POST("/keys/{key}/exchange", { params: { path: { key: old.id } }, body: { keepOldFor: keep } }));
    await read.again();
  }
</script>

{#if read.problem}
  <div class="mt-7"><ProblemNote problem={read.problem} /></div>
{:else if list && (list.keys.length > 0 || list.hidden || made)}
  <section class="mt-7" aria-labelledby="issued-heading" data-test="issued">
    <h2 id="issued-heading" class="mb-2 text-lg font-semibold">API keys that {name} issued for others</h2>
    {#if left}<p class="mb-3">They still work, and {name} may know their secrets. Exchange them.</p>{/if}
    {#if made}
      <SecretDialog result={{ title: "Exchanged a key", facts: [{ name: "API key", key: "key", value: made.key.id }, { name: "Its secret", key: "secret", value: made.secret, secret: true }], file: "arbora-key-" + made.key.id }} onclose={() => (made = null)} />
    {/if}
    {#if list.keys.length > 0}
      <div class="card mb-3 overflow-x-auto">
        <table {@attach labelled} class="rows">
          <thead><tr><th>Of</th><th>For</th><th>Issued</th><th>Until</th><th>Last used</th><th><span class="sr-only">Exchange</span></th></tr></thead>
          <tbody>
            {#each list.keys as { key, of } (key.id)}
              <tr>
                <td><Who who={of} /></td>
                <td>{key.label}{#if key.governs}<span class="quiet text-sm">{key.label ? ", " : ""}may govern</span>{/if}</td>
                <td class="quiet text-sm">{moment(key.createdAt)}</td>
                <td class="text-sm">{key.until ? moment(key.until) : "no end"}</td>
                <td class="text-sm">{key.lastUsedAt ? moment(key.lastUsedAt) : "never"}{#if key.lastUsedFrom}<span class="quiet"> from {key.lastUsedFrom}</span>{/if}</td>
                <td class="text-right">{#if key.state === "works"}<button type="button" class="link text-sm" onclick={() => begin(key)} aria-label="Exchange key {key.label}">Exchange</button>{/if}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
    {/if}
    {#if list.hidden}<p class="quiet">There are others that you may not see.</p>{/if}
    <ChangeDialog bind:open={exchanging} title="Exchange this key?" action="Exchange it" {make}>
      {#snippet children()}
        <p>Another key takes its place, with the same label, end and rights. You see its secret once: give it to the program that uses {old?.label ? `the key “${old.label}”` : "this key"}.</p>
        <div class="space-y-2">
          <Radio name="keep" bind:group={keep} value={0}>End the old key at once</Radio>
          <Radio name="keep" bind:group={keep} value={60}>Let it work for one more hour</Radio>
          <Radio name="keep" bind:group={keep} value={1440}>Let it work for one more day</Radio>
        </div>
      {/snippet}
    </ChangeDialog>
  </section>
{/if}
