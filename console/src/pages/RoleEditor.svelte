<!-- A custom role, written or rewritten: what it picks is shown live, and what an edit would change before it is saved. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { push, router } from "svelte-spa-router";
  import { untrack } from "svelte";
  import { api, ask, asProblem, confirming, isOutdated, type Schemas } from "../lib/api";
  import { focus } from "../lib/focus";
  import { asking } from "../lib/asking";
  import { Draft } from "../lib/draft.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { Kept } from "../lib/kept.svelte";
  import { Review } from "../lib/review.svelte";
  import { session } from "../lib/session.svelte";
  import { undo } from "../lib/undo.svelte";
  import type { Vocabulary } from "../lib/language";
  import { vocabulary } from "../lib/vocabulary";
  import { tree } from "../lib/tree.svelte";
  import { count, href } from "../lib/words";
  import ActButton from "../parts/ActButton.svelte";
  import Choice from "../parts/Choice.svelte";
  import Field from "../parts/Field.svelte";
  import FilterFields from "../parts/FilterFields.svelte";
  import ImpactNote from "../parts/ImpactNote.svelte";
  import KeptNotice from "../parts/KeptNotice.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import RoleGrid from "../parts/RoleGrid.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import ConflictNotice from "../parts/ConflictNotice.svelte";

  let { params }: { params?: { name?: string } } = $props();

  const editing = $derived(params?.name ?? "");
  let details = $state.raw<Schemas["RoleDetails"] | null>(null);
  let at = $state("");
  let name = $state("");
  // Permissions and leaves out is kept as JSON.
  type Filters = Schemas["RoleFilter"][];
  const textsOf = (of: Schemas["RoleDetails"]) => ({ title: of.role.title, description: of.role.description, include: JSON.stringify(of.include), exclude: JSON.stringify(of.exclude) });
  const draft = new Draft({ title: "", description: "", include: "[{}]", exclude: "[]" });
  const words = { title: "the title", description: "the purpose", include: "the permissions", exclude: "the exclusions" };
  const include = $derived<Filters>(JSON.parse(draft.mine.include));
  const exclude = $derived<Filters>(JSON.parse(draft.mine.exclude));
  let known = $state.raw<Vocabulary | null>(null);
  let reading = $state.raw<Schemas["RoleReading"] | null>(null);
  const review = new Review();

  const kept = new Kept(
    () => ({ draft: draft.kept, name, at }),
    (written) => {
      draft.resume(written.draft);
      ({ name, at } = written);
    },
  );

  $effect(() => {
    const role = editing;
    untrack(() => load(role));
  });

  async function load(role: string) {
    if (tree.nodes.length === 0) void tree.load();
    vocabulary(session.organisation, session.organisation).then((words) => (known = words));
    const asked = new URLSearchParams(router.querystring ?? "");
    at = asked.get("at") ?? session.organisation;
    const wanted = (asked.get("wanted") ?? "").split(",").filter(Boolean);
    if (!role && wanted.length > 0) draft.mine.include = JSON.stringify(picking(wanted));
    if (!role) return kept.begin(["new role", ...wanted].join(" "));
    try {
      details = await ask(api.GET("/scopes/{scope}/roles/{role}", { params: { path: { scope: session.organisation, role } } }));
      draft.begin(textsOf(details));
      name = details.role.name;
      at = details.role.scope?.address ?? at;
      kept.begin("role " + role);
    } catch (caught) {
      review.problem = asProblem(caught);
    }
  }

  // picking picks wanted permissions, each an operation and a type: a line for each type.
  function picking(wanted: string[]): Filters {
    const operations = new Map<string, string[]>();
    for (const permission of wanted) {
      const [operation, type] = permission.split(" ") as [string, string];
      operations.set(type, [...(operations.get(type) ?? []), operation]);
    }
    return [...operations].map(([type, list]) => ({ types: [type], operations: list }));
  }

  // What somebody else altered meanwhile is taken where nothing was altered here, and told of where something was.
  async function meet() {
    if (!details || review.busy) return;
    try {
      details = await ask(api.GET("/scopes/{scope}/roles/{role}", { params: { path } }));
      draft.meet(textsOf(details));
    } catch (caught) {
      review.problem = asProblem(caught);
    }
  }
  whenChanged(meet, () => ({ kinds: ["role", "scope"] }));

  const said = (f: Schemas["RoleFilter"]) => Object.values(f).some((words) => words && words.length > 0);
  const definition = $derived({ include: include.filter(said), exclude: exclude.filter(said), title: draft.mine.title || undefined, description: draft.mine.description || undefined, under: details?.role.under?.map((s) => s.id) });
  const edit = $derived({ ...definition, was: { title: draft.read.title, description: draft.read.description, include: JSON.parse(draft.read.include), exclude: JSON.parse(draft.read.exclude), under: definition.under } });
  const key = $derived(JSON.stringify(definition));

  // Permissions follows what is picked; an answer that comes too late is left aside.
  $effect(() => {
    const body = { include: definition.include, exclude: definition.exclude };
    if (body.include.length === 0 || !tree.nodes.some((n) => n.address === at)) {
      reading = null;
      return;
    }
    const scope = at;
    return asking(
      () => ask(api.POST("/scopes/{scope}/roles/reading", { params: { path: { scope } }, body })),
      (answer) => ([reading, review.problem] = [answer, null]),
      (caught) => (review.problem = caught),
    );
  });

  const path = $derived({ scope: session.organisation, role: editing });

  const preview = () =>
    review.run(async () => {
      const asked = key;
      review.impact = (await ask(api.PUT("/scopes/{scope}/roles/{role}", { params: { path, query: { preview: true } }, body: edit }))).impact ?? null;
      review.shown = asked;
    }).then(told);
  const save = () =>
    review.run(async () => {
      const role = name.trim();
      if (editing) {
        const { revision } = await ask(api.PUT("/scopes/{scope}/roles/{role}", { params: { path, header: confirming(review.impact) }, body: edit }));
        undo.offer(`Role ${role} saved.`, revision);
      } else await ask(api.POST("/scopes/{scope}/roles", { params: { path: { scope: at } }, body: { ...definition, name: role } }));
      kept.drop();
      push(href.role(role).slice(1));
    }).then(told);
  const told = () => (isOutdated(review.problem) ? meet() : undefined);
</script>

<Page title={editing ? `Edit ${draft.mine.title || editing}` : "Create a role"} lead={editing ? "All who hold it gain and lose what you change: that is shown before it is saved." : "Pick what it holds, and leave out what it should not. It can be granted at its scope and below."}>
  {#if editing && !details}
    {#if review.problem}<ProblemNote problem={review.problem} />{/if}
  {:else}
    <div class="grid grid-cols-[26rem_minmax(0,1fr)] items-start gap-6 max-lg:grid-cols-1">
      <div class="space-y-4">
        <KeptNotice {kept} />
        {#if !editing}
          <Field label="Name" name="name" problem={review.problem} hint="Lower-case letters, digits and hyphens.">
            {#snippet children(id)}<TextInput {id} name="role-name" {@attach focus} bind:value={name} placeholder="log-reader" autocomplete="off" required />{/snippet}
          </Field>
          <Field label="Defined at" name="scope" problem={review.problem}>
            {#snippet children(id)}<Choice {id} name="role-at" bind:value={at} options={tree.nodes.filter((n) => n.kind !== "resource").map((n) => ({ value: n.address, hint: n.title }))} />{/snippet}
          </Field>
        {/if}
        <ConflictNotice {draft} {words} silent={["include", "exclude"]} />
        <Field label="Title" name="title" problem={review.problem}>{#snippet children(id)}<TextInput {id} name="role-title" bind:value={draft.mine.title} />{/snippet}</Field>
        <Field label="Purpose" name="description" problem={review.problem}>{#snippet children(id)}<TextInput {id} name="role-about" bind:value={draft.mine.description} />{/snippet}</Field>
        <section aria-labelledby="include-heading">
          <h2 id="include-heading" class="mb-1 text-lg font-semibold">Holds</h2>
          <p class="quiet mb-2 text-sm">Each line picks the permissions that match all that is said in it.</p>
          <FilterFields bind:filters={() => include, (f: Filters) => (draft.mine.include = JSON.stringify(f))} {known} name="include" word="Another line" />
        </section>
        <section aria-labelledby="exclude-heading">
          <h2 id="exclude-heading" class="mb-2 text-lg font-semibold">But not</h2>
          <FilterFields bind:filters={() => exclude, (f: Filters) => (draft.mine.exclude = JSON.stringify(f))} {known} name="exclude" word={exclude.length > 0 ? "Another line" : "Leave something out"} />
        </section>
      </div>
      <div class="sticky top-4 max-h-[calc(100vh-8rem)] space-y-4 overflow-y-auto max-lg:static max-lg:max-h-none">
        <div aria-live="polite" data-test="holds-now">
          {#if reading}
            <p class="mb-2"><strong>{count(reading.operations.length, "permission")}</strong> on {count(new Set(reading.operations.map((o) => o.type)).size, "type")}{#if reading.privileged}, <strong class="text-copper-700 dark:text-copper-300">some of them to govern: its holders decide on the access of others</strong>{/if}.</p>
            <RoleGrid operations={reading.operations} against={details?.operations} label="Permissions" />
            {#if details}<p class="quiet mt-2 text-sm"><span class="rounded bg-primary-200 px-1 font-semibold text-primary-900 dark:bg-primary-800 dark:text-primary-50">added</span> by this edit, <span class="rounded bg-copper-200 px-1 font-semibold text-copper-900 dark:bg-copper-700 dark:text-copper-100">removed</span> by it.</p>{/if}
          {:else}
            <p class="card quiet px-5 py-4">Write a line of permissions: the whole list appears here as you type.</p>
          {/if}
        </div>
        {#if review.impact && review.shown === key}<ImpactNote impact={review.impact} />{/if}
        {#if review.problem && !["name", "scope", "title", "description"].includes(review.problem.field ?? "")}<ProblemNote problem={review.problem} />{/if}
        <div class="flex gap-2">
          {#if editing && !(review.impact && review.shown === key)}
            <Button onclick={preview} disabled={review.busy || !reading || draft.disputed.length > 0} data-test="review">Show the impact</Button>
          {:else}
            <ActButton action={editing ? "Save" : "Create"} impact={review.impact} onclick={save} disabled={review.busy || !reading || !(editing || name.trim())} data-test="save" />
          {/if}
          <QuietButton href={editing ? href.role(editing) : "#/roles"} onclick={() => kept.drop()}>Cancel</QuietButton>
        </div>
      </div>
    </div>
  {/if}
</Page>
