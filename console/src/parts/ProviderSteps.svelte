<!-- How people come in by an identity provider: the steps that set it up, where each stands, and what to do next. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, confirming, type Problem, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import EntryDialog from "./EntryDialog.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import TrustDialog from "./TrustDialog.svelte";

  type Impact = Schemas["Impact"] | null;
  let { provider, own, entry, arrivals, may, onchange }: { provider: string; own: boolean; entry: Schemas["Entry"]; arrivals: Schemas["Arrival"][]; may: boolean; onchange: () => void } = $props();

  let trusting = $state(false);
  let editing = $state.raw<Schemas["Trust"] | null>(null);
  let entering = $state(false);
  let acting = $state(false);
  let act = $state.raw<{ trust: Schemas["Trust"]; to: "in-use" | "trial" | "" } | null>(null); // "" removes it
  let problem = $state.raw<Problem | null>(null);
  let copied = $state("");

  const tried = $derived(entry.trusts.some((t) => t.triedAt));
  const used = $derived(entry.trusts.some((t) => t.state === "in-use"));
  const said = $derived(arrivals.some((a) => a.claims));
  const steps = $derived([
    { name: "Trust", done: entry.trusts.length > 0 },
    { name: "Trial", done: tried },
    { name: "Claims", done: tried },
    { name: "Entry", done: tried },
    { name: "In use", done: used },
  ]);
  const next = $derived(steps.findIndex((step) => !step.done));

  const path = $derived({ organisation: session.organisation, provider });
  const trustPath = $derived({ ...path, trust: act?.trust.id ?? "" });

  function change(trust: Schemas["Trust"], to: "in-use" | "trial" | "") {
    act = { trust, to };
    acting = true;
  }

  async function preview(): Promise<Impact> {
    if (act?.to) return (await ask(api.PUT("/organisations/{organisation}/providers/{provider}/trusts/{trust}/state", { params: { path: trustPath, query: { preview: true } }, body: { state: act.to } }))).impact ?? null;
    return (await ask(api.DELETE("/organisations/{organisation}/providers/{provider}/trusts/{trust}", { params: { path: trustPath, query: { preview: true } } }))).impact ?? null;
  }

  async function make(impact: Impact) {
    if (act?.to) await ask(api.PUT("/organisations/{organisation}/providers/{provider}/trusts/{trust}/state", { params: { path: trustPath, header: confirming(impact) }, body: { state: act.to } }));
    else await ask(api.DELETE("/organisations/{organisation}/providers/{provider}/trusts/{trust}", { params: { path: trustPath, header: confirming(impact) } }));
    onchange();
  }

  async function tryIt(trust: Schemas["Trust"]) {
    problem = null;
    try {
      const { address } = await ask(api.POST("/organisations/{organisation}/providers/{provider}/trusts/{trust}/trials", { params: { path: { ...path, trust: trust.id } } }));
      window.open(address, "_blank");
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function copy(text: string) {
    await navigator.clipboard.writeText(text);
    copied = text;
  }
  const states: Record<string, string> = { trial: "on trial", "in-use": "in use" };
</script>

<section class="card mb-7 px-5 py-4" data-test="steps" aria-label="How people come in">
  <div class="mb-4 flex items-center justify-between gap-4">
    <h2 class="text-lg font-semibold">How people come in</h2>
    <ol class="flex flex-wrap gap-x-4 gap-y-1 text-sm max-sm:hidden">
      {#each steps as step, i (step.name)}
        <li class={step.done ? "text-primary-800 dark:text-primary-200" : i === next ? "font-semibold" : "quiet"}>{step.done ? "✓" : i + 1}&nbsp;{step.name}</li>
      {/each}
    </ol>
  </div>
  {#if problem}<div class="mb-4"><ProblemNote {problem} /></div>{/if}
  {#each entry.trusts as trust (trust.id)}
    <div class="mb-4 grid grid-cols-[9rem_minmax(0,1fr)_auto] gap-x-5 gap-y-1 max-sm:grid-cols-1" data-test="trust">
      <h3 class="font-semibold">Trusted by</h3>
      <div>
        <p class="break-all"><span class="address">{trust.issuer}</span> as {trust.clientId}</p>
        <p class="quiet text-sm">OpenID Connect, {states[trust.state]}{trust.triedAt ? `; tried ${moment(trust.triedAt)}` : "; not tried yet"}</p>
        <dl class="mt-1 grid grid-cols-[max-content_minmax(0,1fr)_auto] gap-x-3 text-sm">
          {#each [["Redirect URI", trust.returnAddress], ["Logout URI", trust.endedAddress], ...(trust.ownKey ? [["JWKS URI", trust.keysAddress]] : [])] as [name, value] (name)}
            <dt class="quiet">{name}</dt><dd class="address truncate" title={value}>{value}</dd><dd><button type="button" class="link" onclick={() => copy(value ?? "")} aria-label="Copy {name}">{copied === value ? "Copied" : "Copy"}</button></dd>
          {/each}
        </dl>
      </div>
      {#if may}
        <div class="flex flex-wrap items-start justify-end gap-2">
          {#if trust.state === "trial" && trust.triedAt}<Button size="sm" onclick={() => change(trust, "in-use")}>Put it into use</Button>{/if}
          {#if trust.state === "trial" && !trust.triedAt}<Button size="sm" onclick={() => tryIt(trust)}>Try it in another window</Button>{:else}<QuietButton size="sm" onclick={() => tryIt(trust)}>Try it</QuietButton>{/if}
          <QuietButton size="sm" onclick={() => ((editing = trust), (trusting = true))}>Edit</QuietButton>
          {#if trust.state === "in-use"}<QuietButton size="sm" onclick={() => change(trust, "trial")}>Stop</QuietButton>{:else}<QuietButton size="sm" onclick={() => change(trust, "")}>Remove</QuietButton>{/if}
        </div>
      {/if}
    </div>
  {:else}
    <div class="mb-4 flex items-center justify-between gap-4">
      <p>It is trusted by nothing yet, so nobody can sign in by it.{own ? " People who are read from its directory are mailed a link to choose a password, and sign in here." : ""}</p>
      {#if may}<Button size="sm" onclick={() => ((editing = null), (trusting = true))}>Trust it by OpenID Connect</Button>{/if}
    </div>
  {/each}
  <div class="grid grid-cols-[9rem_minmax(0,1fr)_auto] gap-x-5 gap-y-3 border-t border-gray-200 pt-4 max-sm:grid-cols-1 dark:border-gray-700">
    <h3 class="font-semibold">Lets in</h3>
    <div>
      <p data-test="entry-rule">{#if entry.entryRule}those for whom <span class="font-mono text-sm">{entry.entryRule}</span>{:else}everybody whom it knows{/if}</p>
      <p class="quiet text-sm">known by <span class="font-mono">{entry.claimMap.subject.path}</span>, called by <span class="font-mono">{entry.claimMap.name.path}</span>{#each Object.entries(entry.claimMap.tags ?? {}) as [key, pick] (key)}, tag {key} from <span class="font-mono">{pick.path}</span>{/each}; what it says lasts {entry.claimsLast % 60 === 0 ? `${entry.claimsLast / 60} hours` : `${entry.claimsLast} minutes`}</p>
    </div>
    {#if may}<div class="flex items-start justify-end gap-2"><QuietButton size="sm" onclick={() => (entering = true)}>Edit{said ? ", and try" : ""}</QuietButton>{#if entry.trusts.length > 0}<QuietButton size="sm" onclick={() => ((editing = null), (trusting = true))}>Another trust</QuietButton>{/if}</div>{/if}
  </div>
</section>

<TrustDialog bind:open={trusting} {provider} of={editing} ondone={onchange} />
<EntryDialog bind:open={entering} {provider} of={entry} {arrivals} ondone={onchange} />
<ChangeDialog bind:open={acting} title={act?.to === "in-use" ? `Put ${provider} into use?` : act?.to === "trial" ? `Stop people from coming by ${provider}?` : `Remove this trust of ${provider}?`} action={act?.to === "in-use" ? "Put it into use" : act?.to === "trial" ? "Stop it" : "Remove it"} {preview} {make}>
  {#snippet children()}
    {#if act?.to === "in-use"}<p>Whom its entry rule lets in can sign in from now on, as outside people of {session.organisation}.</p>
    {:else}<p>Nobody signs in by <span class="address">{act?.trust.issuer}</span> any more. The people who came, and what they hold, stay.</p>{/if}
  {/snippet}
</ChangeDialog>
