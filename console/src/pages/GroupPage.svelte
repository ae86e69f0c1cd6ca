<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type PrincipalRef, type Problem, type Schemas } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { authority } from "../lib/authority.svelte";
  import { session } from "../lib/session.svelte";
  import { count, href } from "../lib/words";
  import GrantDialog from "../parts/GrantDialog.svelte";
  import EditDialog from "../parts/EditDialog.svelte";
  import Holdings from "../parts/Holdings.svelte";
  import LeaveGroupDialog from "../parts/LeaveGroupDialog.svelte";
  import MembershipDialog from "../parts/MembershipDialog.svelte";
  import Page from "../parts/Page.svelte";
  import PageProblem from "../parts/PageProblem.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import StateDialog from "../parts/StateDialog.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import Who from "../parts/Who.svelte";

  let { params }: { params?: { name: string } } = $props();

  let group = $state.raw<Schemas["PrincipalDetails"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let adding = $state(false);
  let granting = $state(false);
  let fresh = $state(""); // the id of a grant just made
  let editing = $state(false);
  let changing = $state(false);

  async function load() {
    try {
      group = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path: { organisation: session.organisation, kind: "group", principal: params?.name ?? "" } } }));
      problem = null;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  whenChanged(load);
  $effect(() => {
    authority.load();
    load();
  });

  const gathering = $derived(Boolean(group?.gathers));
  const mayEnrol = $derived(!gathering && ((group?.may.includes("enrol group") || group?.owns) ?? false));
  const same = (a: PrincipalRef, b: PrincipalRef) => a.kind === b.kind && a.name === b.name;
  const idle = (member: PrincipalRef) => group?.idle.find((i) => same(i.principal, member))?.state;
  const outside = (name: string) => group?.outsideGroups?.find((g) => `${g.name}@${g.provider}` === name);
  const peopleIn = (name: string) => outside(name)?.people ?? 0;
  const peopleOf = (name: string) => href.outsideGroup(outside(name)?.name ?? "", outside(name)?.provider ?? "");
  const inherited = $derived(group?.everyMember.filter((m) => !group?.members.some((d) => same(d, m))) ?? []);

  let leaving = $state(false);
  let leaver = $state.raw<PrincipalRef | null>(null);
</script>

<Page title={group?.title || params?.name || ""} lead={group ? [`group ${group.name}${group.within.length ? ", itself in " + group.within.join(", ") : ""}`, group.description].filter(Boolean).join(". ") : undefined}>
  {#snippet actions()}
    {#if group}<QuietButton size="sm" href={"#/spread?" + new URLSearchParams({ group: group.name }).toString()}>Access map</QuietButton>{/if}
    {#if group?.may.includes("edit group")}<QuietButton size="sm" onclick={() => (editing = true)}>Edit</QuietButton>{/if}
    {#if group?.may.includes("retire group")}<QuietButton size="sm" onclick={() => (changing = true)}>{group?.state === "active" ? "Retire" : "Restore"}</QuietButton>{/if}
    {#if mayEnrol}<QuietButton size="sm" onclick={() => (adding = true)}><PlusOutline class="me-2 h-4 w-4" />Add members</QuietButton>{/if}
    {#if group && authority.may("create grant")}<Button size="sm" onclick={() => (granting = true)}><PlusOutline class="me-2 h-4 w-4" />Grant a role</Button>{/if}
  {/snippet}
  {#if problem}
    <PageProblem {problem} />
  {:else if !group}
    <Skeleton rows={6} />
  {:else}
    {#if group.state !== "active"}
      <p class="mb-5 rounded-lg border border-copper-300 bg-copper-100 px-4 py-3 font-semibold text-copper-900 dark:border-copper-700 dark:bg-copper-900/50 dark:text-copper-100">This group is {group.state}: it gives its members nothing.</p>
    {/if}
    {#if group.owner || gathering || group.owns}
      <dl class="card mb-6 flex flex-wrap gap-x-10 gap-y-3 px-5 py-4">
        {#if group.owner}<div><dt class="quiet text-sm">{gathering ? "Owner" : "Owner, who may change the members"}</dt><dd><Who who={group.owner} />{#if group.owns}<span class="quiet ml-2">you</span>{/if}</dd></div>{/if}
        {#if gathering}<div><dt class="quiet text-sm">Gathers people with</dt><dd><code class="statement">{group.gathers}</code></dd></div>{/if}
      </dl>
    {/if}
    <div class="mb-7 grid items-start gap-6 {inherited.length > 0 ? 'grid-cols-2 max-md:grid-cols-1' : ''}">
      <section aria-labelledby="members-heading">
        <h2 id="members-heading" class="mb-2 text-lg font-semibold">{gathering ? "Gathered at present" : "Direct members"} <span class="quiet font-normal">{group.members.length}</span></h2>
        {#if group.members.length === 0}
          <p class="card quiet px-5 py-4">{gathering ? "Nobody has such tags at present." : "It has no members yet."}</p>
        {:else}
          <ul class="card" data-test="members">
            {#each group.members as member (member.kind + "/" + member.name)}
              <li class="flex items-center border-b border-gray-100 px-4 py-2.5 last:border-0 dark:border-gray-800">
                <Who who={member} />
                {#if idle(member)}<span class="ml-3"><StateMark state={idle(member) ?? "active"} /></span>{/if}
                {#if member.kind === "group"}<span class="quiet ml-3 text-sm">and everybody in it</span>{/if}
                {#if member.kind === "outside-group"}<span class="quiet ml-3 text-sm">by a link, {#if peopleIn(member.name) > 0}<a class="link" href={peopleOf(member.name)}>{count(peopleIn(member.name), "person", "people")}</a>{:else}nobody at present{/if}</span>{/if}
                {#if mayEnrol}<button type="button" class="link ml-auto text-sm" onclick={() => ((leaver = member), (leaving = true))} aria-label="Remove {member.name}">Remove</button>{/if}
              </li>
            {/each}
          </ul>
        {/if}
      </section>
      {#if inherited.length > 0}
        <section aria-labelledby="inherited-heading">
          <h2 id="inherited-heading" class="mb-2 text-lg font-semibold">Through groups in it <span class="quiet font-normal">{inherited.length}</span></h2>
          <ul class="card" data-test="inherited-members">
            {#each inherited as member (member.kind + "/" + member.name)}
              <li class="border-b border-gray-100 px-4 py-2.5 last:border-0 dark:border-gray-800"><Who who={member} />{#if idle(member)}<span class="ml-3"><StateMark state={idle(member) ?? "active"} /></span>{/if}</li>
            {/each}
          </ul>
          <p class="quiet mt-2 text-sm">{count(group.everyMember.length, "member")} at any depth.</p>
        </section>
      {/if}
    </div>
    <Holdings of={group} {fresh} onchange={load} />
    <MembershipDialog bind:open={adding} group={group.name} already={group.members} ondone={load} />
    {#if leaver}<LeaveGroupDialog bind:open={leaving} member={leaver} group={group.name} ondone={load} />{/if}
    <GrantDialog bind:open={granting} prepared={{ who: { kind: "group", name: group.name } }} ondone={(id) => ((fresh = id), load())} />
    <EditDialog bind:open={editing} of={group} ondone={load} />
    <StateDialog bind:open={changing} of={group} to={group.state === "active" ? "retired" : "active"} ondone={load} />
  {/if}
</Page>
