<!-- What somebody gets: groups, direct grants, and all that somebody else has; line by line, each to be taken out again. -->
<script lang="ts">
  import { CloseOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type Problem, type Role, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { tree } from "../lib/tree.svelte";
  import { settled, type Option } from "../lib/choices";
  import { roleOptions, roles } from "../lib/directory";
  import { terms } from "../lib/words";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";

  export type Line = { group: string; grant?: undefined; from: string } | { group?: undefined; grant: Schemas["FirstGrant"] & { address: string }; from: string };

  // pending is the direct grant in the fields that is not in the lines yet but whole: it counts as they do. half is why what
  // is in the fields cannot count.
  let {
    lines = $bindable([]), pending = $bindable(null), half = $bindable(""), groups, users,
  }: { lines: Line[]; pending?: Line | null; half?: string; groups: Option[]; users: Option[] } = $props();

  let group = $state("");
  let like = $state("");
  let role = $state("");
  let scope = $state("");
  let until = $state("");
  let known = $state.raw<Role[]>([]);
  let problem = $state.raw<Problem | null>(null);

  const key = (l: Line) => (l.group !== undefined ? "group " + l.group : `${l.grant.role} at ${l.grant.scope} ${terms(l.grant)}`);

  function add(...more: Line[]) {
    const there = new Set(lines.map(key));
    lines = [...lines, ...more.filter((l) => !there.has(key(l)))];
  }

  // A group that was typed whole joins at once, unless others begin with it; nobody has to press a button for it.
  $effect(() => {
    if (settled(groups, group.trim())) takeGroup();
  });
  $effect(() => {
    if (settled(users, like.trim())) takeLike();
  });

  function takeGroup() {
    const chosen = group.trim();
    if (!groups.some((g) => g.value === chosen)) return;
    add({ group: chosen, from: "" });
    group = "";
  }

  function takeLike() {
    const chosen = like.trim();
    if (!users.some((u) => u.value === chosen)) return;
    copyFrom(chosen);
    like = "";
  }

  $effect(() => {
    tree.load();
  });

  async function copyFrom(name: string) {
    problem = null;
    try {
      const model = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path: { organisation: session.organisation, kind: "user", principal: name } } }));
      add(
        ...model.groups.filter((g) => !model.gathered.includes(g)).map((g): Line => ({ group: g, from: name })),
        ...model.rules.flatMap((r): Line[] => {
          const g = r.grant;
          if (!g || g.principal.kind !== "user" || g.principal.name !== name) return [];
          return [{ grant: { scope: r.scope.id, address: r.scope.address, role: g.role, condition: g.condition, from: g.from, until: g.until }, from: name }];
        }),
      );
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  // The roles that mean something at the scope that was chosen.
  $effect(() => {
    const at = tree.nodes.find((n) => n.address === scope.trim());
    if (!at) return;
    roles(at.id).then(
      (found) => (known = found),
      (caught) => (problem = asProblem(caught)),
    );
  });

  $effect(() => {
    const at = tree.nodes.find((n) => n.address === scope.trim());
    const whole = at && known.some((r) => r.name === role.trim());
    pending = whole ? { grant: { scope: at.id, address: at.address, role: role.trim(), until: until ? new Date(until).toISOString() : undefined }, from: "" } : null;
  });

  function grant() {
    if (!pending) return;
    add(pending);
    role = scope = until = "";
  }

  $effect(() => {
    if (group.trim()) half = `There is no group ${group.trim()} to add to: choose one of the list, or clear the field.`;
    else if (like.trim()) half = `There is no user ${like.trim()} to take access from: choose one of the list, or clear the field.`;
    else if (!pending && (role.trim() || scope.trim() || until)) half = "The direct grant is half written: choose its scope and its role, or clear the fields.";
    else half = "";
  });
</script>

<div class="space-y-4">
  <Field label="Add to a group" name="groups" hint="Prefer groups for lasting work: they outlive the people in them.">
    {#snippet children(id)}<Choice {id} name="into-group" adds bind:value={group} options={groups} placeholder={groups[0]?.value ?? ""} onchosen={takeGroup} />{/snippet}
  </Field>
  <Field label="The same as somebody" name="like" hint="Their groups and direct grants, line by line below.">
    {#snippet children(id)}<Choice {id} name="like" adds bind:value={like} options={users} placeholder={users[0]?.value ?? ""} onchosen={takeLike} />{/snippet}
  </Field>
  <fieldset class="rounded-lg border border-gray-200 p-3 dark:border-gray-700">
    <legend class="label px-1">A direct grant</legend>
    <div class="grid gap-3">
      <Field label="At" name="scope">
        {#snippet children(id)}<Choice {id} name="grant-at" bind:value={scope} options={tree.nodes.map((n) => ({ value: n.address, hint: n.title }))} placeholder={tree.nodes[1]?.address ?? session.organisation} />{/snippet}
      </Field>
      <div class="grid grid-cols-2 gap-3">
        <Field label="Role" name="role">
          {#snippet children(id)}<Choice {id} name="grant-role" bind:value={role} options={roleOptions(known)} placeholder="view, run, edit …" />{/snippet}
        </Field>
        <Field label="Until (optional)" name="until">
          {#snippet children(id)}
            <input {id} name="grant-until" type="date" bind:value={until} class="w-full field" />
          {/snippet}
        </Field>
      </div>
      <div><QuietButton size="sm" type="button" onclick={grant} disabled={!pending} data-test="add-grant">Add another grant</QuietButton></div>
    </div>
  </fieldset>
  {#if problem}<ProblemNote {problem} />{/if}
  {#if lines.length > 0}
    <ul class="divide-y divide-gray-100 rounded-lg border border-gray-200 dark:divide-gray-800 dark:border-gray-700" data-test="lines">
      {#each lines as line (key(line))}
        <li class="flex items-center gap-2 px-3 py-2">
          <span class="min-w-0">
            {#if line.group !== undefined}<span class="quiet">group</span> <strong>{line.group}</strong>
            {:else}<strong>{line.grant.role}</strong> <span class="quiet">at</span> <span class="address break-all">{line.grant.address}</span>{#if terms(line.grant)}<span class="quiet"> {terms(line.grant)}</span>{/if}{/if}
            {#if line.from}<span class="quiet block text-sm">as {line.from} has it</span>{/if}
          </span>
          <button type="button" class="ml-auto rounded p-1 hover:bg-gray-100 dark:hover:bg-gray-800" onclick={() => (lines = lines.filter((l) => key(l) !== key(line)))} aria-label="Leave out {line.group ?? line.grant?.role}"><CloseOutline class="h-4 w-4" /></button>
        </li>
      {/each}
    </ul>
  {/if}
</div>
