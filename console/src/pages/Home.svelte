<!-- What somebody finds when they come in: what they may use and, for whoever looks after others, what needs attention. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { loam } from "../lib/loam.svelte";
  import { heldInWords } from "../lib/matrix";
  import { session } from "../lib/session.svelte";
  import { capital, count, href, moment } from "../lib/words";
  import Elsewhere from "../parts/Elsewhere.svelte";
  import FirstSteps from "../parts/FirstSteps.svelte";
  import KindIcon from "../parts/KindIcon.svelte";
  import NothingYet from "../parts/NothingYet.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import RuleLine from "../parts/RuleLine.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import Who from "../parts/Who.svelte";

  let home = $state.raw<Schemas["Home"] | null>(null);
  let changes = $state.raw<Schemas["AuditRecord"][]>([]);
  let problem = $state.raw<Problem | null>(null);

  const path = { params: { path: { organisation: session.organisation } } };

  async function load() {
    try {
      home = await ask(api.GET("/organisations/{organisation}/home", path));
      problem = null;
      await authority.load();
      if (authority.may("list audit-record")) {
        changes = (await ask(api.GET("/organisations/{organisation}/audit-records", { params: { ...path.params, query: { event: "change", limit: 8 } } }))).records;
      }
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });
  whenChanged(load);

  const calm = $derived(home && [home.pending, home.ending, home.keys, home.strangers, home.unread, home.refused, home.skipped].every((part) => part.length === 0));
  const looksAfter = $derived(home !== null && (home.privileged.length > 0 || !calm || changes.length > 0));
</script>

{#snippet card(title: string, care: boolean, lead: string, rows: Snippet)}
  <section class="card px-5 py-4 {care ? 'border-copper-300! dark:border-copper-700!' : ''}">
    <h3 class="font-semibold">{title}</h3>
    <p class="quiet mb-2 text-sm">{lead}</p>
    <ul class="space-y-1.5">{@render rows()}</ul>
  </section>
{/snippet}

{#if problem?.status === 403}
  <NothingYet />
{:else}
  <Page wide title="Home" lead={session.organisation + (session.me?.kind === "guest" ? ", as a guest" : "")}>
    {#if problem}
      <ProblemNote {problem} />
    {:else if !home}
      <Skeleton rows={8} />
    {:else}
      {@const h = home}
      {#if authority.may("create grant")}<FirstSteps />{/if}
      {#if looksAfter}
        <section class="mb-2" data-test="attention" aria-labelledby="attention">
            <h2 id="attention" class="mb-2 text-lg font-semibold">What needs attention</h2>
            <div class="mb-6 grid grid-cols-[repeat(auto-fit,minmax(min(17rem,100%),1fr))] gap-4">
              {#snippet skipped()}
                {#each h.skipped as reason, i (i)}<li class="break-words">{reason}</li>{/each}
              {/snippet}
              {#if h.skipped.length > 0}{@render card("Damaged records", true, "Arbora could not read these records and ignores them. Ask the operator of Arbora to repair them. Everything else works.", skipped)}{/if}

              {#snippet strangers()}
                {#each h.strangers as rule, i (i)}<li class="flex flex-wrap items-center gap-x-2"><RuleLine {rule} /> <a class="link text-sm" href={href.scope(rule.scope.address)}>{rule.scope.name}</a></li>{/each}
              {/snippet}
              {#if h.strangers.length > 0}{@render card("Open to strangers", true, "What people outside the organisation can reach.", strangers)}{/if}

              {#snippet refused()}
                {#each h.refused as r (r.who)}
                  <li class="flex flex-wrap items-baseline justify-between gap-x-3"><span class="max-w-full truncate">{r.who}</span><a class="link text-sm whitespace-nowrap" href={"#/changes?" + new URLSearchParams({ event: "refused", who: r.who }).toString()}>{count(r.times, "time")}, last {moment(r.last)}</a></li>
                {/each}
              {/snippet}
              {#if h.refused.length > 0}{@render card("Refused lately", true, "People who were refused something, in the last seven days.", refused)}{/if}

              {#snippet pending()}
                {#each h.pending as w (w.guest.name)}<li class="flex items-center gap-3"><span class="min-w-0 flex-1"><Who who={w.guest} /></span><span class="quiet text-sm">invited {moment(w.since)}</span></li>{/each}
              {/snippet}
              {#if h.pending.length > 0}{@render card("Guests who have not accepted", false, "They hold nothing until they do.", pending)}{/if}

              {#snippet ending()}
                {#each h.ending as g (g.id)}
                  <li class="flex flex-wrap items-center gap-x-3"><Who who={g.principal} /> <span class="quiet">{g.role} at</span> <a class="link" href={href.scope(g.scope.address)}>{g.scope.name}</a> <span class="quiet ml-auto text-sm">ends {g.until && moment(g.until)}</span></li>
                {/each}
              {/snippet}
              {#if h.ending.length > 0}{@render card("Access that ends soon", false, "Within thirty days.", ending)}{/if}

              {#snippet keys()}
                {#each h.keys as k (k.id)}
                  <li class="flex flex-wrap items-center gap-x-3"><Who who={k.of} /> <span class="quiet">{k.label}</span><span class="ml-auto text-sm {k.unused ? 'quiet' : 'text-copper-700 dark:text-copper-300'}">{k.unused ? (k.lastUsedAt ? "last used " + moment(k.lastUsedAt) : "never used") : "ends " + (k.until ? moment(k.until) : "")}</span></li>
                {/each}
              {/snippet}
              {#if h.keys.length > 0}{@render card("API keys", true, "About to end, or not used for ninety days.", keys)}{/if}

              {#snippet unread()}
                {#each h.unread as u (u.provider)}
                  <li><Who who={{ kind: "provider", name: u.provider }} /><span class="block text-sm"><span class="font-semibold text-copper-700 dark:text-copper-300">{u.stopped ? "stopped" : "failed"}</span> {moment(u.at)}: {u.why}</span></li>
                {/each}
              {/snippet}
              {#if h.unread.length > 0}{@render card("Directories not read", true, "People who have left them since still have access.", unread)}{/if}

              {#snippet privileged()}
                {#each h.privileged as p (p.who.kind + p.who.name)}
                  <li class="flex flex-wrap items-center gap-x-2"><Who who={p.who} /> <span class="quiet">at</span> {#each p.at as at, i (i)}<a class="link" href={href.scope(at.address)}>{at.name}</a>{/each}</li>
                {/each}
              {/snippet}
              {#if h.privileged.length > 0}{@render card("Who governs", false, "Privileged roles held by grants: they decide what others may do.", privileged)}{/if}
              {#if calm}<p class="quiet col-span-full">Nothing else: no guest waits, nothing ends soon, nobody was refused anything lately.</p>{/if}
            </div>
        </section>
        {#await import("../parts/Trends.svelte") then { default: Trends }}<Trends />{/await}
      {/if}
      <div class="grid gap-6 {changes.length > 0 ? 'grid-cols-2 max-lg:grid-cols-1' : ''}">
        <div>
          <h2 class="mb-2 text-lg font-semibold">What you may use</h2>
          <ul class="card" data-test="mine">
            {#each h.mine as m, i (i)}
              <li class="border-b border-gray-100 px-4 py-2.5 last:border-0 dark:border-gray-800">
                <p class="flex items-baseline gap-2">
                  <KindIcon kind={m.kind} type={["organisation", "folder", "project", "compartment"].includes(m.kind) ? undefined : m.kind} class="h-4 w-4 self-center" />
                  <a class="link truncate font-semibold" href={href.scope(m.scope.address)} title={m.scope.address}>{m.title || m.scope.name}</a>
                  {#if loam.there}<a class="link ml-auto text-sm" href={href.loam(m.scope.address)}>in Loam</a>{/if}
                </p>
                <p class="quiet text-sm">{capital(heldInWords(m.holds))}</p>
              </li>
            {/each}
          </ul>
          {#if h.moreMine > 0}<p class="quiet mt-1 text-sm">And {count(h.moreMine, "place")} more.</p>{/if}
          <Elsewhere />
        </div>
        {#if changes.length > 0}
          <div>
            <h2 class="mb-2 flex items-baseline gap-3 text-lg font-semibold">Recent changes <a class="link text-sm font-normal" href="#/changes">All of them</a></h2>
            <ol class="card" data-test="recent">
              {#each changes as change (change.number)}
                <li class="border-b border-gray-100 px-4 py-2 last:border-0 dark:border-gray-800"><p class="break-words">{capital(change.detail)}</p><p class="quiet text-sm">{change.by}, {moment(change.at)}</p></li>
              {/each}
            </ol>
          </div>
        {/if}
      </div>
    {/if}
  </Page>
{/if}
