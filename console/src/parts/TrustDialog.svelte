<!-- By what an identity provider is trusted: its issuer, and what Arbora is to it. -->
<script lang="ts">
  import { Checkbox } from "flowbite-svelte";
  import { untrack } from "svelte";
  import { api, ask, confirming, type Schemas } from "../lib/api";
  import { Kept } from "../lib/kept.svelte";
  import { session } from "../lib/session.svelte";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Field from "./Field.svelte";
  import PasswordInput from "./PasswordInput.svelte";
  import TextInput from "./TextInput.svelte";

  type Impact = Schemas["Impact"] | null;
  // of is the trust that is edited; null makes one.
  let { open = $bindable(false), provider, of, ondone }: { open?: boolean; provider: string; of: Schemas["Trust"] | null; ondone: () => void } = $props();

  const blank = { issuer: "", clientId: "", scopes: "profile email", ownKey: false };
  let fields = $state({ ...blank });
  let secret = $state("");
  const kept = new Kept(() => ({ ...fields }), (written) => (fields = written ?? fields));

  $effect(() => {
    if (!open) return;
    untrack(() => {
      fields = of ? { issuer: of.issuer, clientId: of.clientId, scopes: of.scopes.join(" "), ownKey: of.ownKey } : { ...blank };
      secret = "";
      kept.begin(`trust ${provider} ${of?.id ?? "new"}`);
    });
  });

  const body = $derived({ issuer: fields.issuer.trim(), clientId: fields.clientId.trim(), secret: (!fields.ownKey && secret) || undefined, ownKey: fields.ownKey, scopes: fields.scopes.split(/\s+/).filter(Boolean) });
  const ready = $derived(body.issuer !== "" && body.clientId !== "");
  const path = $derived({ organisation: session.organisation, provider });

  async function preview(): Promise<Impact> {
    if (of) return (await ask(api.PUT("/organisations/{organisation}/providers/{provider}/trusts/{trust}", { params: { path: { ...path, trust: of.id }, query: { preview: true } }, body }))).impact ?? null;
    const told = await ask(api.POST("/organisations/{organisation}/providers/{provider}/trusts", { params: { path, query: { preview: true } }, body }));
    return "impact" in told ? (told.impact ?? null) : null;
  }

  async function make(impact: Impact) {
    if (of) await ask(api.PUT("/organisations/{organisation}/providers/{provider}/trusts/{trust}", { params: { path: { ...path, trust: of.id }, header: confirming(impact) }, body }));
    else await ask(api.POST("/organisations/{organisation}/providers/{provider}/trusts", { params: { path, header: confirming(impact) }, body }));
    ondone();
  }
</script>

<ChangeDialog bind:open title={of ? `Edit by what ${provider} is trusted` : `Trust ${provider} by OpenID Connect`} action={of ? "Save" : "Trust it, on trial"} {ready} {preview} asks={() => body} {kept} {make}>
  {#snippet children(problem)}
    <p>The provider has to know Arbora as one of its clients. Here you write what it knows it by. Nobody comes in by it before you have tried it and put it into use.</p>
    <Field label="Issuer" name="issuer" {problem} hint="The provider's address, exactly as it writes it itself.">
      {#snippet children(id)}<TextInput {id} name="trust-issuer" bind:value={fields.issuer} placeholder="https://id.quaywater.example" required />{/snippet}
    </Field>
    <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
      <Field label="Client id" name="clientId" {problem}>
        {#snippet children(id)}<TextInput {id} name="trust-client" bind:value={fields.clientId} required />{/snippet}
      </Field>
      {#if !fields.ownKey}
        <Field label="Client secret" name="secret" {problem} hint={of?.hasSecret ? "Left empty, it stays, unless the issuer is another." : undefined}>
          {#snippet children(id)}<PasswordInput {id} name="trust-secret" bind:value={secret} autocomplete="off" />{/snippet}
        </Field>
      {/if}
    </div>
    <div>
      <Checkbox bind:checked={fields.ownKey} name="own-key">Sign with Arbora's own keys in place of a secret</Checkbox>
      {#if fields.ownKey}<p class="quiet mt-1 text-sm">The provider reads them at <span class="address break-all">{of?.keysAddress ?? location.origin + "/oauth/keys"}</span></p>{/if}
    </div>
    <Field label="Scopes" name="scopes" {problem} hint="What is asked for besides openid, parted by spaces.">
      {#snippet children(id)}<TextInput {id} name="trust-scopes" bind:value={fields.scopes} />{/snippet}
    </Field>
  {/snippet}
</ChangeDialog>
