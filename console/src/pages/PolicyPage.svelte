<!-- A policy: its text, checked as one types, what it would alter before it is saved, and patterns to begin from. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { push, router } from "svelte-spa-router";
  import { untrack } from "svelte";
  import { api, ask, asProblem, confirming, isOutdated, type Schemas } from "../lib/api";
  import { asking, typing } from "../lib/asking";
  import { Draft } from "../lib/draft.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { Kept } from "../lib/kept.svelte";
  import { Review } from "../lib/review.svelte";
  import { session } from "../lib/session.svelte";
  import { undo } from "../lib/undo.svelte";
  import { tree } from "../lib/tree.svelte";
  import type { Vocabulary } from "../lib/language";
  import { vocabulary } from "../lib/vocabulary";
  import { count, href, moment } from "../lib/words";
  import ActButton from "../parts/ActButton.svelte";
  import Choice from "../parts/Choice.svelte";
  import Field from "../parts/Field.svelte";
  import PolicyDialog, { type PolicyAct } from "../parts/PolicyDialog.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import ImpactNote from "../parts/ImpactNote.svelte";
  import KeptNotice from "../parts/KeptNotice.svelte";
  import LanguageReference from "../parts/LanguageReference.svelte";
  import Page from "../parts/Page.svelte";
  import Patterns from "../parts/Patterns.svelte";
  import PageProblem from "../parts/PageProblem.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import PolicyVersions from "../parts/PolicyVersions.svelte";
  import StatementForms from "../parts/StatementForms.svelte";
  import StatementEditor from "../parts/StatementEditor.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import ConflictNotice from "../parts/ConflictNotice.svelte";

  let { params }: { params?: { id: string } } = $props();

  const fresh = $derived(params?.id === "new");
  let policy = $state.raw<Schemas["Policy"] | null>(null);
  let at = $state("");
  const textsOf = (of: Schemas["Policy"]) => ({ name: of.name, description: of.description, text: of.text });
  const draft = new Draft({ name: "", description: "", text: "" });
  const kept = new Kept(
    () => ({ draft: draft.kept, at }),
    (written) => {
      at = written.at;
      draft.resume(written.draft);
    },
  );
  const words = { name: "the name", description: "what it is for", text: "the text" };
  let reading = $state.raw<Schemas["Reading"] | null>(null);
  const review = new Review();
  let known = $state.raw<Vocabulary | null>(null); // what statements may name here
  let inParts = $state(false);
  let held = $state.raw<Schemas["Statement"][]>([]); // of the last text that read well: where it holds stays in view while one types
  let editor = $state<ReturnType<typeof StatementEditor>>();

  $effect(() => {
    const id = params?.id ?? "";
    untrack(() => load(id));
  });

  // What can be named is fetched anew for another scope; an answer that comes too late is left aside.
  $effect(() => {
    const scope = at;
    if (!tree.nodes.some((n) => n.address === scope)) return;
    return asking(() => vocabulary(session.organisation, scope), (words) => (known = words), (caught) => (review.problem = caught));
  });

  // What is written here stays when the same policy is read again, unless it was just saved.
  async function load(id: string, saved = false) {
    if (tree.nodes.length === 0) tree.load();
    if (id === "new") {
      at = new URLSearchParams(router.querystring ?? "").get("at") ?? session.organisation;
      kept.begin("new policy at " + at);
      return;
    }
    try {
      const now = await ask(api.GET("/policies/{policy}", { params: { path: { policy: id } } }));
      if (saved || policy?.id !== now.id) return adopt(now);
      draft.meet(textsOf(now));
      policy = now;
    } catch (caught) {
      review.problem = asProblem(caught);
    }
  }

  // What somebody else wrote meanwhile is taken where nothing was altered here, and told of where something was.
  async function meet() {
    if (!policy || review.busy) return;
    try {
      const now = await ask(api.GET("/policies/{policy}", { params: { path: { policy: policy.id } } }));
      draft.meet(textsOf(now));
      policy = now;
    } catch (caught) {
      review.problem = asProblem(caught);
    }
  }
  whenChanged(meet);

  function adopt(now: Schemas["Policy"]) {
    policy = now;
    at = now.scope.address;
    draft.begin(textsOf(now));
    kept.begin("policy " + now.id);
  }

  const mayWrite = $derived(fresh || (policy?.may.includes("edit policy") ?? false));
  const changed = $derived(fresh || draft.altered.length > 0);
  const clean = $derived(reading !== null && reading.faults.length === 0 && draft.mine.text.trim() !== "");

  // The text is read as one types; an answer that comes too late is left aside.
  $effect(() => {
    const [asked, scope] = [draft.mine.text, at];
    if (!scope) return;
    return asking(
      () => ask(api.POST("/scopes/{scope}/policies/reading", { params: { path: { scope } }, body: { text: asked } })),
      (answer) => {
        [reading, review.problem] = [answer, null];
        if (answer.faults.length === 0) held = answer.statements;
      },
      (caught) => (review.problem = caught),
      typing,
    );
  });

  const key = $derived(JSON.stringify([draft.mine, at]));
  const edit = $derived({ ...draft.mine, was: draft.read });

  async function preview() {
    const asked = key; // what is typed meanwhile was not asked about
    await review.run(async () => {
      const answer = fresh
        ? await ask(api.POST("/scopes/{scope}/policies", { params: { path: { scope: at }, query: { preview: true } }, body: draft.mine }))
        : await ask(api.PATCH("/policies/{policy}", { params: { path: { policy: params?.id ?? "" }, query: { preview: true } }, body: edit }));
      review.impact = "impact" in answer ? (answer.impact ?? null) : null;
      review.shown = asked;
    });
    if (isOutdated(review.problem)) await meet();
  }

  async function save() {
    const header = confirming(review.impact);
    await review.run(async () => {
      if (fresh) {
        const made = await ask(api.POST("/scopes/{scope}/policies", { params: { path: { scope: at }, header }, body: draft.mine }));
        kept.drop();
        if ("policy" in made) push(href.policy(made.policy.id).slice(1));
      } else {
        const { revision } = await ask(api.PATCH("/policies/{policy}", { params: { path: { policy: params?.id ?? "" }, header }, body: edit }));
        undo.offer(`Policy ${draft.mine.name} saved.`, revision);
        kept.drop();
        await load(params?.id ?? "", true);
      }
      review.impact = null;
    });
    if (isOutdated(review.problem)) await meet();
  }

  // An earlier text that is taken is shown with its impact at once, as soon as it was read.
  let rolling = $state(false);
  function rollBack(then: string) {
    draft.mine.text = then;
    [reading, rolling] = [null, true];
  }
  $effect(() => {
    if (!rolling || !clean) return;
    rolling = false;
    untrack(preview);
  });

  let acting = $state(false);
  let act = $state<PolicyAct>("suspend");
  function begin(wanted: PolicyAct) {
    [act, acting] = [wanted, true];
  }
  function acted() {
    if (act === "delete") push("/policies");
    else load(params?.id ?? "");
  }

  function take(filled: string) {
    const { text } = draft.mine;
    draft.mine.text = text.trim() ? text.trimEnd() + "\n" + filled : filled;
  }
</script>

<Page title={fresh ? "Create a policy" : (policy?.name ?? "")} lead={fresh ? "Say in plain statements who may, may only or may never do what. Nothing counts until it is saved." : (policy?.description ?? "")}>
  {#if review.problem && !fresh && !policy}
    <PageProblem problem={review.problem} />
  {:else if !fresh && !policy}
    <Skeleton rows={8} />
  {:else}
    {#if policy}
      <div class="-mt-2 mb-5 flex flex-wrap items-center gap-2">
        {#if policy.suspended}<StateMark state="suspended" says="it decides nothing until it is resumed" />{/if}
        {#if policy.may.includes("edit policy")}<QuietButton size="sm" onclick={() => begin(policy?.suspended ? "resume" : "suspend")}>{policy.suspended ? "Resume" : "Suspend"}</QuietButton>{/if}
        {#if policy.may.includes("retire policy")}<QuietButton size="sm" onclick={() => begin("delete")}>Delete policy</QuietButton>{/if}
      </div>
      <PolicyDialog bind:open={acting} {policy} {act} ondone={acted} />
    {/if}
    <div class="grid grid-cols-[minmax(0,1fr)_20rem] gap-6 max-lg:grid-cols-1">
      <div class="space-y-4">
        <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
          <Field label="Name" name="name" problem={review.problem}>
            {#snippet children(id)}<TextInput {id} name="policy-name" bind:value={draft.mine.name} placeholder="log-care" readonly={!mayWrite} />{/snippet}
          </Field>
          {#if fresh}
            <Field label="Attached to (applies there and below)" name="scope" problem={review.problem}>
              {#snippet children(id)}<Choice {id} name="policy-at" bind:value={at} options={tree.nodes.filter((n) => n.kind !== "resource").map((n) => ({ value: n.address, hint: n.title }))} />{/snippet}
            </Field>
          {:else if policy}
            <p class="pt-7"><span class="quiet">attached to</span> <a class="link address" href={href.scope(policy.scope.address)}>{policy.scope.address}</a></p>
          {/if}
        </div>
        <KeptNotice {kept} />
        <ConflictNotice {draft} {words} by={policy?.writtenBy} />
        {#if mayWrite}
          <div class="flex gap-1" role="group" aria-label="How to write it">
            {#each [{ parts: false, word: "As text" }, { parts: true, word: "In parts" }] as way (way.word)}
              <button type="button" aria-pressed={inParts === way.parts} onclick={() => (inParts = way.parts)}
                class="rounded-md border border-gray-300 px-3 py-1 text-sm aria-pressed:border-primary-600 aria-pressed:bg-primary-50 aria-pressed:font-semibold dark:border-gray-600 dark:aria-pressed:border-primary-400 dark:aria-pressed:bg-primary-950">{way.word}</button>
            {/each}
          </div>
        {/if}
        {#if inParts}<StatementForms {at} {reading} {known} ontext={(joined) => (draft.mine.text = joined)} />{/if}
        <StatementEditor bind:this={editor} bind:text={draft.mine.text} faults={reading?.faults ?? []} label="Statements" {known} readonly={!mayWrite || inParts} />
        {#if policy && policy.hidden}<p class="quiet" data-test="hidden">There are more statements that you may not see, about places you do not see. They stay when you save another text.</p>{/if}
        {#if reading && reading.faults.length > 0}
          <ul class="space-y-1 rounded-lg border-l-4 border-copper-600 bg-copper-100 px-4 py-3 dark:bg-copper-900/60" data-test="faults">
            {#each reading.faults as fault (fault.line + ":" + fault.column)}
              <li><strong>Line {fault.line}, column {fault.column}:</strong> {fault.detail}{#if fault.nearest}. Did you mean {#if mayWrite}<button type="button" class="link font-semibold" onclick={() => editor?.mend(fault)}>{fault.nearest}</button>{:else}<strong>{fault.nearest}</strong>{/if}?{/if}</li>
            {/each}
          </ul>
        {:else if clean}
          <p class="quiet" data-test="reads-well">No errors, {count(reading?.statements.length ?? 0, "statement")}.</p>
        {/if}
        <Field label="Purpose (optional)" name="description" problem={review.problem}>
          {#snippet children(id)}<TextInput {id} bind:value={draft.mine.description} placeholder="Shown beside it, for people who look later" readonly={!mayWrite} />{/snippet}
        </Field>
        {#if review.impact && review.shown === key}<ImpactNote impact={review.impact} />{/if}
        {#if review.problem && !["name", "scope", "description"].includes(review.problem.field ?? "")}<ProblemNote problem={review.problem} />{/if}
        {#if mayWrite}
          <div class="flex flex-wrap gap-2">
            {#if review.impact && review.shown === key}
              <ActButton action="Save" impact={review.impact} onclick={save} disabled={review.busy || !clean} data-test="save" />
            {:else}
              <Button onclick={preview} disabled={review.busy || !clean || !changed || !draft.mine.name || draft.disputed.length > 0} data-test="review">Show the impact</Button>
            {/if}
          </div>
        {/if}
        {#if policy}
          <p class="quiet text-sm">Written {moment(policy.writtenAt)} by {policy.writtenBy}.</p>
          <PolicyVersions {policy} text={draft.mine.text} ontake={mayWrite ? rollBack : undefined} />
        {/if}
      </div>
      <aside class="space-y-6">
        {#if held.length > 0}
          <section aria-labelledby="places-heading">
            <h2 id="places-heading" class="mb-2 text-lg font-semibold">Where it holds</h2>
            <ul class="card px-4 py-3" data-test="places">
              {#each [...new Map(held.map((s) => [s.place.id + s.here, s])).values()] as statement (statement.place.id + statement.here)}
                <li class="py-0.5">
                  <a class="link address break-all" href={href.scope(statement.place.address)}>{statement.place.address}</a>
                  <span class="quiet text-sm">{statement.suspended ? "suspended" : statement.dormant ? "dormant" : statement.here ? "alone" : "and below"}</span>
                </li>
              {/each}
            </ul>
          </section>
        {/if}
        {#if mayWrite}
          <Patterns {at} ontake={take} />
          <LanguageReference />
        {/if}
      </aside>
    </div>
  {/if}
</Page>
