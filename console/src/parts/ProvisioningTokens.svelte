<!-- By what the own system of an identity provider comes in to tell of its people and groups: where, and with which tokens. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, asProblem, confirming, type Problem, type Schemas } from "../lib/api";
  import { Kept } from "../lib/kept.svelte";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import SecretDialog from "./SecretDialog.svelte";
  import TextInput from "./TextInput.svelte";

  type Impact = Schemas["Impact"] | null;
  let { provider }: { provider: string } = $props();

  let list = $state.raw<Schemas["ProvisioningTokenList"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let creating = $state(false);
  let label = $state("");
  let until = $state(""); // a day; empty for 180 days on
  let made = $state.raw<Schemas["ProvisioningTokenMade"] | null>(null);
  let revoking = $state(false);
  let chosen = $state.raw<Schemas["ProvisioningToken"] | null>(null);

  const path = $derived({ organisation: session.organisation, provider });
  const kept = new Kept(() => ({ label, until }), (written) => ({ label, until } = written));

  async function load() {
    try {
      list = await ask(api.GET("/organisations/{organisation}/providers/{provider}/provisioning-tokens", { params: { path } }));
      problem = null;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    void provider;
    untrack(load);
  });

  function begin() {
    label = until = "";
    kept.begin(`provisioning of ${provider}`);
    creating = true;
  }

  const body = $derived({ label: label.trim(), until: until ? new Date(until + "T00:00:00Z").toISOString() : undefined });
  async function preview(): Promise<Impact> {
    const told = await ask(api.POST("/organisations/{organisation}/providers/{provider}/provisioning-tokens", { params: { path, query: { preview: true } }, body }));
    return "impact" in told ? (told.impact ?? null) : null;
  }
  async function make(impact: Impact) {
    const told = await ask(api.POST("/organisations/{organisation}/providers/{provider}/provisioning-tokens", { params: { path, header: confirming(impact) }, body }));
    if ("token" in told) made = told;
    load();
  }

  const revoke = sending(
    (query, header) => ask(api.DELETE("/organisations/{organisation}/providers/{provider}/provisioning-tokens/{token}", { params: { path: { ...path, token: chosen?.id ?? "" }, query, header } })),
    () => `Token ${chosen?.label} revoked.`,
    () => void load(),
  );
</script>

<section class="mb-7" data-test="provisioning" aria-labelledby="provisioning-heading">
  <div class="mb-2 flex flex-wrap items-center gap-3">
    <h2 id="provisioning-heading" class="text-lg font-semibold">Provisioning</h2>
    <QuietButton size="sm" onclick={begin}>Create a token</QuietButton>
  </div>
  {#if problem}
    <ProblemNote {problem} />
  {:else if list}
    <div class="card overflow-x-auto px-5 py-4">
      {#if list.tokens.length === 0}
        <p class="quiet">The provider's own system can tell who is there, who has left and who is in which group, by SCIM 2.0. Create a token for it.</p>
      {:else}
        <p class="mb-3">The provider's system comes in at <code class="address break-all">{list.address}</code></p>
        <table class="w-full">
          <thead><tr class="quiet border-b border-gray-200 text-left text-sm dark:border-gray-700"><th class="py-2 font-normal">Token</th><th class="px-3 py-2 font-normal">Created by</th><th class="px-3 py-2 font-normal">Last used</th><th class="px-3 py-2 font-normal">Ends</th><th></th></tr></thead>
          <tbody>
            {#each list.tokens as t (t.id)}
              <tr class="border-b border-gray-100 last:border-0 dark:border-gray-800">
                <td class="py-2 font-semibold">{t.label}</td>
                <td class="px-3 py-2">{t.createdBy}</td>
                <td class="px-3 py-2">{t.usedAt ? moment(t.usedAt) : "never"}</td>
                <td class="px-3 py-2 {new Date(t.until) < new Date() ? 'font-semibold text-copper-700 dark:text-copper-300' : ''}">{moment(t.until)}</td>
                <td class="py-2 text-right"><button type="button" class="link text-sm" aria-label="Revoke {t.label}" onclick={() => ((chosen = t), (revoking = true))}>Revoke</button></td>
              </tr>
            {/each}
          </tbody>
        </table>
      {/if}
    </div>
  {/if}
</section>

<ChangeDialog bind:open={creating} title="Create a provisioning token" action="Create" ready={body.label !== ""} {preview} asks={() => body} {kept} {make}>
  {#snippet children(problem)}
    <p>The provider's system then says who comes by it, who has left, and who is in which group there. It speaks SCIM 2.0; its externalId of people is the subject by which the provider knows them.</p>
    <Field label="Label" name="label" {problem}>
      {#snippet children(id)}<TextInput {id} name="token-label" bind:value={label} placeholder="people system" required />{/snippet}
    </Field>
    <Field label="Ends on (optional)" name="until" {problem} hint="Within 366 days. Left empty, it ends after 180 days.">
      {#snippet children(id)}<input {id} name="token-until" type="date" bind:value={until} class="field w-full" />{/snippet}
    </Field>
  {/snippet}
</ChangeDialog>

<ChangeDialog bind:open={revoking} title="Revoke token {chosen?.label ?? ''}?" action="Revoke" preview={revoke.preview} make={revoke.make}>
  {#snippet children()}
    <p>The provider's system can no longer come in by it. People and groups stay as they are.</p>
  {/snippet}
</ChangeDialog>

{#if made}
  <SecretDialog
    result={{
      title: "Provisioning token created", file: "arbora-" + provider + "-provisioning",
      facts: [{ name: "Address", key: "address", value: made.address }, { name: "Token", key: "token", value: made.token, secret: true, note: `ends on ${moment(made.provisioningToken.until)}` }],
    }}
    onclose={() => (made = null)}
  />
{/if}
