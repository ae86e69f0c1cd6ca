<!-- API keys: of somebody else, or one's own when no kind is given. A secret is shown once, right after it is issued. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { labelled } from "../lib/labelled";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { count, moment } from "../lib/words";
  import Term from "./Term.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import SecretDialog from "./SecretDialog.svelte";
  import TextInput from "./TextInput.svelte";

  let { kind, name = "", mayIssue }: { kind?: "user" | "guest" | "service-account"; name?: string; mayIssue: boolean } = $props();

  let list = $state.raw<Schemas["KeyList"] | null>(null);
  let made = $state.raw<Schemas["KeyMade"] | null>(null);
  let label = $state("");
  let until = $state("");
  let governs = $state(false);
  let by = $state<"secret" | "pair" | "tokens">("secret"); // what the program shows
  let tokens = $state({ issuer: "", audience: "", rule: "", once: false });
  let publicKey = $state("");
  let problem = $state.raw<Problem | null>(null);

  const path = $derived({ organisation: session.organisation, kind: kind ?? ("user" as const), principal: name });

  async function load() {
    try {
      list = await (kind ? ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/keys", { params: { path } })) : ask(api.GET("/profile/keys")));
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });
  whenChanged(load);

  async function issue(event: Event) {
    event.preventDefault();
    problem = null;
    try {
      const body = { label: label || undefined, until: until ? new Date(until).toISOString() : undefined, governs, publicKey: by === "pair" ? publicKey : undefined, tokens: by === "tokens" ? tokens : undefined };
      made = await (kind ? ask(api.POST("/organisations/{organisation}/principals/{kind}/{principal}/keys", { params: { path }, body })) : ask(api.POST("/profile/keys", { body })));
      label = until = publicKey = "";
      governs = false;
      by = "secret";
      await load();
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function withdraw(key: string) {
    problem = null;
    try {
      await ask(api.DELETE("/keys/{key}", { params: { path: { key } } }));
      if (made?.key.id === key) made = null;
      await load();
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
</script>

<section class="mt-7" aria-labelledby="keys-heading">
  <h2 id="keys-heading" class="mb-2 text-lg font-semibold"><Term word="API key" shown="API keys" /></h2>
  {#if made}
    <SecretDialog result={{ title: "Created a key", facts: [{ name: "API key", key: "key", value: made.key.id }, ...(made.secret ? [{ name: "Its secret", key: "secret", value: made.secret, secret: true }] : [])], file: "arbora-key-" + made.key.id }} onclose={() => (made = null)} />
  {/if}
  {#if problem}<div class="mb-3"><ProblemNote {problem} /></div>{/if}
  {#if list && list.keys.length > 0}
    <div class="card mb-3 overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="keys">
        <thead><tr><th>Key</th><th>For</th><th>Issued</th><th>Until</th><th>Last used</th><th><span class="sr-only">Revoke</span></th></tr></thead>
        <tbody>
          {#each list.keys as key (key.id)}
            <tr>
              <td class="address">{key.id}</td>
              <td>
                {key.label}{#if key.governs}<span class="quiet text-sm">{key.label ? ", " : ""}may govern</span>{/if}
                {#if key.tokens}<span class="quiet block text-sm">takes tokens of <span class="address">{key.tokens.issuer}</span> made for {key.tokens.audience}, for which <span class="font-mono">{key.tokens.rule}</span>{key.tokens.once ? ", each once" : ""}</span>{/if}
                {#if key.thumbprint}<span class="quiet block text-sm" title={key.thumbprint}>signs with a key pair of its own</span>{/if}
              </td>
              <td class="quiet text-sm" title={"by " + key.createdBy}>{moment(key.createdAt)}</td>
              <td class="text-sm">{#if key.state === "ended"}<strong class="text-copper-700 dark:text-copper-300">expired {moment(key.until ?? "")}</strong>{:else}{key.until ? moment(key.until) : "no end"}{/if}</td>
              <td class="text-sm">{key.lastUsedAt ? moment(key.lastUsedAt) : "never"}{#if key.lastUsedFrom}<span class="quiet"> from {key.lastUsedFrom}</span>{/if}</td>
              <td class="text-right">{#if mayIssue}<button type="button" class="link text-sm" onclick={() => withdraw(key.id)} aria-label="Revoke key {key.label}">Revoke</button>{/if}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
  {#if list}
    <p class="quiet mb-3">{list.keys.length === 0 ? "None yet; there" : `${count(list.keys.length, "key")}; there`} may be {list.most} at a time, so that one can be exchanged without a gap.</p>
    {#if mayIssue && list.keys.filter((k) => k.state === "works").length < list.most}
      <form onsubmit={issue} class="flex flex-wrap items-end gap-3">
        <label class="w-64"><span class="label">What the next key is for</span><TextInput name="key-label" bind:value={label} placeholder="nightly run" autocomplete="off" /></label>
        <label><span class="label">Until (optional)</span><TextInput type="date" name="key-until" bind:value={until} /></label>
        <label class="flex items-center gap-2 pb-1.5" title="Without it, programs that show the key create nobody and grant nothing"><input type="checkbox" name="key-governs" class="rounded" bind:checked={governs} />May govern</label>
        <label><span class="label">The program shows</span>
          <select name="key-by" bind:value={by} class="field">
            <option value="secret">a secret, shown once</option>
            <option value="pair">a signature of its own key pair</option>
            {#if kind === "service-account"}<option value="tokens">a token of another issuer</option>{/if}
          </select>
        </label>
        <Button type="submit" size="sm" data-test="issue-key">Create a key</Button>
        {#if by === "pair"}
          <label class="w-full max-w-3xl"><span class="label">Its public key, in PEM or as a JWK</span><textarea name="public-key" rows="4" class="field w-full font-mono text-sm" spellcheck="false" bind:value={publicKey} placeholder="-----BEGIN PUBLIC KEY-----" required></textarea></label>
        {:else if by === "tokens"}
          <div class="grid w-full max-w-3xl grid-cols-2 gap-3 max-sm:grid-cols-1">
            <label><span class="label">Issuer of the tokens</span><TextInput name="tokens-issuer" bind:value={tokens.issuer} placeholder="https://jobs.quaywater.example" required /></label>
            <label><span class="label">Audience that they are made for</span><TextInput name="tokens-audience" bind:value={tokens.audience} placeholder="arbora" required /></label>
            <label class="col-span-full"><span class="label">Condition over their claims</span><TextInput name="tokens-rule" bind:value={tokens.rule} placeholder={'claim.sub is "label-job"'} class="font-mono" required /></label>
            <label class="flex items-center gap-2"><input type="checkbox" name="tokens-once" class="rounded" bind:checked={tokens.once} />Each token counts once</label>
          </div>
        {/if}
      </form>
    {/if}
  {/if}
</section>
