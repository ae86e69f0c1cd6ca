<!-- Two roles side by side: what both hold, and what only one of them does. -->
<script lang="ts">
    import { api, ask, asProblem, type Problem, type Role, type Schemas } from "../lib/api";
  import { asking } from "../lib/asking";
  import { roleOptions, roles } from "../lib/directory";
  import { live } from "../lib/live.svelte";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import Choice from "../parts/Choice.svelte";
  import Field from "../parts/Field.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import RoleGrid from "../parts/RoleGrid.svelte";
  import RoleName from "../parts/RoleName.svelte";

  // Which two stands in the page's address, so that it can be sent to a colleague.
  const [first, second] = [new QueryParam("first"), new QueryParam("second")];
  let known = $state.raw<Role[]>([]);
  let pair = $state.raw<[Schemas["RoleDetails"], Schemas["RoleDetails"]] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    roles(session.organisation, true).then(
      (found) => (known = found),
      (caught) => (problem = asProblem(caught)),
    );
  });
  $effect(() => {
    void live.revision;
    const names = [first.value, second.value];
    if (!names.every((name) => known.some((r) => r.name === name))) return;
    const show = (role: string) => ask(api.GET("/scopes/{scope}/roles/{role}", { params: { path: { scope: session.organisation, role } } }));
    return asking(() => Promise.all([show(names[0] ?? ""), show(names[1] ?? "")]), (both) => ([pair, problem] = [both, null]), (caught) => (problem = caught));
  });

  const sums = $derived.by(() => {
    if (!pair) return null;
    const [a, b] = pair.map((d) => new Set(d.operations.map((o) => `${o.operation} ${o.type}`)));
    if (!a || !b) return null;
    const both = [...a].filter((p) => b.has(p)).length;
    return { both, first: a.size - both, second: b.size - both };
  });
</script>

<Page title="Compare two roles" lead="What both hold, and what only one of them does.">
  <div class="mb-5 grid max-w-2xl grid-cols-2 gap-4 max-sm:grid-cols-1">
    <Field label="First role" name="first">{#snippet children(id)}<Choice {id} name="first-role" bind:value={first.value} options={roleOptions(known)} placeholder="operator" />{/snippet}</Field>
    <Field label="Second role" name="second">{#snippet children(id)}<Choice {id} name="second-role" bind:value={second.value} options={roleOptions(known)} placeholder="builder" />{/snippet}</Field>
  </div>
  {#if problem}
    <ProblemNote {problem} />
  {:else if pair && sums}
    <p class="mb-3 flex flex-wrap items-center gap-x-2" data-test="compared">
      {count(sums.both, "permission")} in both,
      <span><span class="rounded bg-primary-200 px-1.5 font-semibold text-primary-900 dark:bg-primary-800 dark:text-primary-50">1</span> {sums.first} in <RoleName name={pair[0].role.name} privileged={pair[0].role.privileged} /> alone,</span>
      <span><span class="rounded bg-copper-200 px-1.5 font-semibold text-copper-900 dark:bg-copper-700 dark:text-copper-100">2</span> {sums.second} in <RoleName name={pair[1].role.name} privileged={pair[1].role.privileged} /> alone.</span>
      {#if sums.first === 0 && sums.second === 0}<strong>They hold the same.</strong>{:else if sums.first === 0}<strong>{pair[1].role.name} holds all that {pair[0].role.name} does.</strong>{:else if sums.second === 0}<strong>{pair[0].role.name} holds all that {pair[1].role.name} does.</strong>{/if}
    </p>
    <RoleGrid operations={pair[0].operations} against={pair[1].operations} label="What the two hold" />
  {/if}
</Page>
