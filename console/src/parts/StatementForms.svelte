<!-- The statements of a policy in parts, for those who would rather pick than type: what is picked becomes the text, and a text
that was typed is taken apart. -->
<script lang="ts">
  import { Checkbox } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { nameWord, sets, type Vocabulary } from "../lib/language";
  import { classes } from "../lib/matrix";
  import type { Parts } from "../lib/vocabulary";
  import Choice from "./Choice.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import TextInput from "./TextInput.svelte";
  import WordsField from "./WordsField.svelte";

  let { at, reading, known, ontext }: { at: string; reading: Schemas["Reading"] | null; known: Vocabulary | null; ontext: (text: string) => void } = $props();

  const kinds = ["group", "user", "service account", "service", "set"] as const;
  type Kind = (typeof kinds)[number];

  let list = $state.raw<Parts[]>([]);
  let notes: string[] = [];
  let kind = $state<Kind>("group");
  let problem = $state.raw<Problem | null>(null);
  let made = ""; // the text that the parts made last
  let asked = 0;

  // A text from elsewhere, typed or taken from a pattern, is taken apart.
  $effect(() => {
    if (!reading || reading.faults.length > 0 || reading.text === made) return;
    made = reading.text;
    [list, notes] = [reading.parts, reading.notes];
  });

  const whom = $derived<Record<Kind, string[]>>({ group: known?.groups ?? [], user: known?.users ?? [], "service account": known?.accounts ?? [], service: known?.services ?? [], set: sets });
  const subject = (name: string) => (kind === "group" ? nameWord(name) : kind === "set" ? name : `${kind} ${nameWord(name)}`);
  const things = $derived([...(known?.types ?? []), ...(known?.services ?? [])]);

  function what(p: Parts): "roles" | "acts" | "anything" {
    return p.roles ? "roles" : p.acts ? "acts" : "anything";
  }

  async function write(next: Parts[]) {
    list = next;
    const turn = ++asked;
    try {
      const statements = next.filter(complete).map((p) => ({ ...p, place: p.place || undefined, condition: p.condition || undefined, from: p.from || undefined, until: p.until || undefined }));
      const answer = await ask(api.POST("/scopes/{scope}/policies/writing", { params: { path: { scope: at } }, body: { statements, notes } }));
      if (turn !== asked) return;
      made = answer.text;
      problem = null;
      ontext(answer.text);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  // What is not complete yet stays out of the text.
  const complete = (p: Parts) => p.who.length > 0 && !(p.roles && p.roles.length === 0) && !(p.acts && p.acts.length === 0);
  const alter = (i: number, change: Partial<Parts>) => write(list.map((p, n) => (n === i ? { ...p, ...change } : p)));
  const choose = (i: number, way: string) => alter(i, { roles: way === "roles" ? [] : undefined, acts: way === "acts" ? [] : undefined, things: way === "roles" ? undefined : list[i]?.things, data: way === "acts" ? list[i]?.data : undefined });

  // A day is chosen from a calendar; a moment within one is written out.
  const day = (written: string | undefined) => !written || /^\d{4}-\d\d-\d\d$/.test(written);
</script>

<div class="space-y-4" data-test="forms">
  {#each list as p, i (i)}
    <article class="card space-y-3 px-5 py-4" aria-label="Statement {i + 1}" data-test="form">
      <div class="grid grid-cols-[8rem_minmax(0,1fr)] items-end gap-3 max-sm:grid-cols-1">
        <label class="block"><span class="label">Choose from</span>
          <select bind:value={kind} class="field w-full" name="subject-kind">{#each kinds as k (k)}<option value={k}>{k === "set" ? "built-in sets" : k + "s"}</option>{/each}</select>
        </label>
        <WordsField label="Who" name="subject" words={p.who} options={whom[kind]} write={subject} placeholder="choose a {kind}" onchange={(who) => alter(i, { who })} />
      </div>
      <WordsField label="Except (optional)" name="except" words={p.except ?? []} options={whom[kind]} write={subject} onchange={(except) => alter(i, { except: except.length ? except : undefined })} />
      <div class="grid grid-cols-2 gap-3 max-sm:grid-cols-1">
        <label class="block"><span class="label">They</span>
          <select class="field w-full" name="modal" value={p.modal} onchange={(e) => alter(i, { modal: e.currentTarget.value as Parts["modal"] })}>
            <option value="may">may: gives it</option><option value="may only">may only: cuts off all else</option><option value="may never">may never: cuts it off</option>
          </select>
        </label>
        <label class="block"><span class="label">What</span>
          <select class="field w-full" name="what" value={what(p)} onchange={(e) => choose(i, e.currentTarget.value)}>
            <option value="roles" disabled={p.modal !== "may"}>act as a role</option><option value="acts">do certain things</option><option value="anything">do anything</option>
          </select>
        </label>
      </div>
      {#if p.roles}
        <WordsField label="Roles" name="roles" words={p.roles} options={known?.roles ?? []} placeholder="observer" onchange={(chosen) => alter(i, { roles: chosen })} />
      {:else}
        <div class="grid grid-cols-2 gap-3 max-sm:grid-cols-1">
          {#if p.acts}<WordsField label="Operations and classes" name="acts" words={p.acts} options={[...classes, ...(known?.operations ?? [])]} placeholder="observe" onchange={(chosen) => alter(i, { acts: chosen })} />{/if}
          <WordsField label="On types and services (none for anything)" name="things" words={p.things ?? []} options={things} placeholder="networking" onchange={(chosen) => alter(i, { things: chosen.length ? chosen : undefined })} />
        </div>
        {#if p.acts}<Checkbox name="data" bind:checked={() => p.data ?? false, (data) => alter(i, { data: data || undefined })}>the data of these, rather than themselves</Checkbox>{/if}
      {/if}
      <div class="grid grid-cols-[minmax(0,1fr)_auto] items-end gap-3 max-sm:grid-cols-1">
        <label class="block"><span class="label">Where, below the policy's scope (empty for all of it)</span>
          <Choice id="place-{i}" name="place" bind:value={() => p.place ?? "", (place) => alter(i, { place })} options={(known?.places ?? []).map((value) => ({ value }))} />
        </label>
        <div class="pb-2"><Checkbox name="here" bind:checked={() => p.here ?? false, (here) => alter(i, { here: here || undefined })}>there alone, not below</Checkbox></div>
      </div>
      <div class="grid grid-cols-[minmax(0,1fr)_10rem_10rem] gap-3 max-sm:grid-cols-1">
        <label class="block"><span class="label">Only if (optional)</span><TextInput name="if" bind:value={() => p.condition ?? "", (condition) => alter(i, { condition })} placeholder={'resource.tag.care is "high"'} disabled={p.modal === "may only"} /></label>
        <label class="block"><span class="label">From (optional)</span><TextInput name="statement-from" type={day(p.from) ? "date" : "text"} bind:value={() => p.from ?? "", (from) => alter(i, { from })} /></label>
        <label class="block"><span class="label">Until (optional)</span><TextInput name="statement-until" type={day(p.until) ? "date" : "text"} bind:value={() => p.until ?? "", (until) => alter(i, { until })} /></label>
      </div>
      <div class="flex items-center gap-3">
        {#if !complete(p)}<p class="quiet text-sm">Not in the text yet: choose who{p.who.length > 0 ? " and what they may do" : ""}.</p>{/if}
        <button type="button" class="link ml-auto text-sm" onclick={() => write(list.filter((_, n) => n !== i))}>Remove this statement</button>
      </div>
    </article>
  {/each}
  {#if problem}<ProblemNote {problem} />{/if}
  <QuietButton size="sm" onclick={() => (list = [...list, { who: [], modal: "may", acts: [] }])}><PlusOutline class="me-2 h-4 w-4" />Another statement</QuietButton>
</div>
