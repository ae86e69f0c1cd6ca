<!-- The audit log: what was done, by whom, and who was refused what. What is looked for stands in the page's address. -->
<script lang="ts">
  import { replace, router } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { csv, save } from "../lib/download";
  import { Drawing } from "../lib/drawing.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { capital, day, moment, time } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import RecordDetails from "../parts/RecordDetails.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  // The service's list of what is recorded; the compiler names what is missing here.
  const words: Record<Schemas["AuditEvent"], string> = {
    change: "change", imported: "import", refused: "refused", "sign-in": "sign-in", "sign-in-failed": "sign-in failed", "sign-in-locked": "sign-in held back", "sign-out": "sign-out",
    "session-ended": "session ended", switched: "organisation switched", "viewed-as": "looked as somebody", "terminal-decided": "terminal let in or not", "key-issued": "key issued", "key-withdrawn": "key revoked",
    "key-failed": "key refused", "link-failed": "link refused", "token-failed": "token refused", "service-key-issued": "service's key issued", "service-key-withdrawn": "service's key revoked", "token-issued": "token issued",
    "token-revoked": "token revoked", followed: "follower began", "password-chosen": "password chosen", "recovery-asked": "recovery asked for", recovered: "account recovered", "second-factor-set": "second factor set up", "second-factor-dropped": "second factor removed",
    "recovery-code-used": "recovery code used", "passkey-added": "passkey added", "passkey-removed": "passkey removed", "passkey-failed": "passkey refused", "keeper-made": "keeper created", "service-registered": "service registered", "service-removed": "service removed",
  };
  const events = Object.keys(words) as Schemas["AuditEvent"][];
  const asked = $derived(Object.fromEntries(new URLSearchParams(router.querystring ?? "")));

  let records = $state.raw<Schemas["AuditRecord"][] | null>(null);
  let later = $state.raw<string | undefined>();
  let problem = $state.raw<Problem | null>(null);
  const drawing = new Drawing(() => records !== null);
  let opened = $state(0); // the number of the record that is shown in full
  let text = $state("");
  let who = $state("");

  // A day is the viewer's own, and the last one is taken whole.
  function dayAfter(day: string): string {
    const date = new Date(day + "T00:00:00");
    date.setDate(date.getDate() + 1);
    return date.toISOString();
  }

  async function load(query: Record<string, string>, goOn?: string, limit = 100) {
    const shown = goOn ? (records ?? []) : [];
    const { event, from, until } = query;
    try {
      const list = await ask(
        api.GET("/organisations/{organisation}/audit-records", {
          params: {
            path: { organisation: session.organisation },
            query: { event: event as Schemas["AuditEvent"] | undefined, who: query.who, text: query.text, from: from && new Date(from + "T00:00:00").toISOString(), until: until && dayAfter(until), after: goOn, limit },
          },
        }),
      );
      records = [...shown, ...list.records];
      later = list.next;
      problem = null;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  $effect(() => {
    if (text.trim() !== (asked.text ?? "")) text = asked.text ?? "";
    if (who.trim() !== (asked.who ?? "")) who = asked.who ?? "";
    load(asked);
  });
  whenChanged(() => load(asked, undefined, Math.min(Math.max(100, records?.length ?? 0), 500)));

  function narrow(key: string, value: string) {
    const kept = Object.entries({ ...asked, [key]: value.trim() }).filter(([, v]) => v);
    replace("/changes" + (kept.length > 0 ? "?" + new URLSearchParams(kept).toString() : ""));
  }

  // What is typed narrows the list a moment later.
  let waiting: ReturnType<typeof setTimeout> | undefined;
  function soon(key: string, value: () => string) {
    clearTimeout(waiting);
    waiting = setTimeout(() => narrow(key, value()), 250);
  }

  // Records stand under their day.
  const days = $derived.by(() => {
    const byDay: { day: string; records: Schemas["AuditRecord"][] }[] = [];
    for (const record of (records ?? []).slice(0, drawing.rows)) {
      const on = day(record.at);
      const last = byDay.at(-1);
      if (last?.day === on) last.records.push(record);
      else byDay.push({ day: on, records: [record] });
    }
    return byDay;
  });

  const needsCare = ["refused", "sign-in-failed", "sign-in-locked"];

  function saveAll() {
    const rows = (records ?? []).map((r) => [String(r.number), r.at, r.by, r.from, r.event, r.detail]);
    save("changes.csv", "text/csv", csv([["Number", "When", "Who", "From", "Event", "What"], ...rows]));
  }
</script>

<Page wide title="Changes" lead="The audit log: what was done, by whom, and who was refused what.">
  {#snippet actions()}
    {#if records && records.length > 0}<QuietButton size="sm" onclick={saveAll}>Save as CSV</QuietButton>{/if}
  {/snippet}
  <div class="mb-5 flex flex-wrap items-end gap-3">
    <div class="min-w-56 flex-1">
      <label class="label" for="changes-text">What it says</label>
      <TextInput id="changes-text" type="search" name="text" bind:value={text} oninput={() => soon("text", () => text)} />
    </div>
    <div class="w-52">
      <label class="label" for="changes-who">Who</label>
      <TextInput id="changes-who" name="who" bind:value={who} placeholder="a name, or part of one" oninput={() => soon("who", () => who)} />
    </div>
    <div>
      <label class="label" for="changes-event">Event</label>
      <select id="changes-event" value={asked.event ?? ""} onchange={(e) => narrow("event", e.currentTarget.value)} class="field">
        <option value="">any</option>
        {#each events as event (event)}<option value={event}>{words[event]}</option>{/each}
      </select>
    </div>
    <div>
      <label class="label" for="changes-from">From</label>
      <input id="changes-from" type="date" value={asked.from ?? ""} onchange={(e) => narrow("from", e.currentTarget.value)} class="field" />
    </div>
    <div>
      <label class="label" for="changes-until">Until and including</label>
      <input id="changes-until" type="date" value={asked.until ?? ""} onchange={(e) => narrow("until", e.currentTarget.value)} class="field" />
    </div>
  </div>
  {#if problem}
    {#if problem.status === 403 && problem.permission}
      <p class="card quiet px-5 py-4">The log shows the whole organisation. To read it you need the permission <em>{problem.permission}</em> at its top. The page of each scope shows the changes there.</p>
    {:else}
      <ProblemNote {problem} />
    {/if}
  {:else if !records}
    <Skeleton rows={8} />
  {:else if records.length === 0}
    <p class="card quiet px-5 py-4">{later ? "Nothing like that among the newest records." : "No matching records."}</p>
  {:else}
    {#each days as { day, records: ofDay } (day)}
      <h2 class="quiet mt-4 mb-1.5 text-sm font-semibold">{day}</h2>
      <ol class="card" data-test="records">
        {#each ofDay as record (record.number)}
          <li class="flex flex-wrap items-baseline gap-x-4 border-b border-gray-100 px-5 py-2 last:border-0 dark:border-gray-800">
            <span class="quiet w-12 shrink-0 text-sm" title={moment(record.at)}>{time(record.at)}</span>
            <button type="button" onclick={() => narrow("event", record.event)}
              class="w-36 shrink-0 truncate text-left text-sm underline decoration-dotted underline-offset-4 {needsCare.includes(record.event) ? 'font-semibold text-copper-700 dark:text-copper-300' : 'quiet'}">{words[record.event]}</button>
            <button type="button" class="min-w-0 flex-1 break-words text-left hover:underline" aria-expanded={opened === record.number} onclick={() => (opened = opened === record.number ? 0 : record.number)}>
              <span class="quiet inline-block w-4 text-xs transition-transform {opened === record.number ? 'rotate-90' : ''}" aria-hidden="true">▸</span>{record.event === "change" || record.event === "refused" ? capital(record.detail) : record.detail}
            </button>
            <button type="button" onclick={() => narrow("who", record.by)} class="quiet max-w-72 truncate text-sm underline decoration-dotted underline-offset-4" title="from {record.from}">{record.by}</button>
            {#if opened === record.number}<div class="w-full pt-2 pb-1"><RecordDetails number={record.number} /></div>{/if}
          </li>
        {/each}
      </ol>
    {/each}
  {/if}
  {#if later && !problem}<QuietButton size="sm" class="mt-3" onclick={() => load(asked, later)}>Earlier ones</QuietButton>{/if}
</Page>
