<!-- A user, a guest, an outside person or a service account: what is said of it, what it signs in with, what it holds, and its whole life. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { SearchOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { authority } from "../lib/authority.svelte";
  import { session } from "../lib/session.svelte";
  import { href, moment, signInWays } from "../lib/words";
  import { viewing } from "../lib/viewing.svelte";
  import GrantDialog from "../parts/GrantDialog.svelte";
  import CouldHold from "../parts/CouldHold.svelte";
  import EditDialog from "../parts/EditDialog.svelte";
  import HandOverDialog from "../parts/HandOverDialog.svelte";
  import Holdings from "../parts/Holdings.svelte";
  import IssuedKeys from "../parts/IssuedKeys.svelte";
  import KeyTable from "../parts/KeyTable.svelte";
  import MembershipDialog from "../parts/MembershipDialog.svelte";
  import Page from "../parts/Page.svelte";
  import PasskeysOf from "../parts/PasskeysOf.svelte";
  import PageProblem from "../parts/PageProblem.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import ResetDialog from "../parts/ResetDialog.svelte";
  import ResultCard, { type Result } from "../parts/ResultCard.svelte";
  import SecretDialog from "../parts/SecretDialog.svelte";
  import SessionsOf from "../parts/SessionsOf.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import StateDialog from "../parts/StateDialog.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import Who from "../parts/Who.svelte";

  type Kind = "user" | "guest" | "outside-person" | "service-account";
  let { kind, name }: { kind: Kind; name: string } = $props();

  let person = $state.raw<Schemas["PrincipalDetails"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let acted = $state.raw<Problem | null>(null);
  let told = $state.raw<Omit<Result, "file"> | null>(null);
  let adding = $state(false);
  let granting = $state(false);
  let fresh = $state(""); // the id of a grant just made
  let editing = $state(false);
  let handing = $state(false);
  let changing = $state(false);
  let resetting = $state(false);
  let resets = $state(0); // what was ended by one is read anew
  let to = $state<Schemas["State"]>("suspended");

  const path = $derived({ organisation: session.organisation, kind, principal: name });

  async function load() {
    try {
      const found = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path } }));
      // The link of an invitation that was accepted opens nothing any more.
      if (told?.link && person?.state === "pending" && found.state !== "pending") told = null;
      // A service account is called by its address everywhere here.
      person = { ...found, name: found.address ?? found.name };
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

  const type = $derived(kind === "service-account" ? "service-account" : "user");
  const may = (operation: string) => person?.may.includes(`${operation} ${type}`) ?? false;
  const linked = $derived(person?.outsideGroups?.flatMap((g) => g.links.map((l) => l.group)) ?? []);
  const further = $derived(person ? person.within.filter((g) => !person?.groups.includes(g) && !linked.includes(g)) : []);
  const direct = $derived(person?.rules.some((r) => r.grant?.principal.kind === kind && r.grant.principal.name === person?.name) ?? false);
  const takesKeys = $derived(kind === "service-account" || person?.signInBy === "key" || person?.signInBy === "both");
  const takesPassword = $derived((kind === "user" || kind === "outside-person") && (person?.signInBy === "password" || person?.signInBy === "both"));

  function change(state: Schemas["State"]) {
    to = state;
    changing = true;
  }

  async function act(what: () => Promise<void>) {
    acted = null;
    try {
      await what();
    } catch (caught) {
      acted = asProblem(caught);
    }
  }

  function tellPassword(password: string, ended: string[]) {
    told = {
      title: "A new temporary password",
      facts: [
        { name: "Signs in as", key: "signIn", value: person?.signIn ?? "" },
        { name: "Password", key: "password", value: password, secret: true, note: `to be replaced at the first sign-in, within 7 days; earlier ${ended.slice(0, -1).join(", ")} and ${ended.at(-1)} no longer work` },
      ],
    };
    resets++;
    load();
  }
  const mailLink = () =>
    act(async () => {
      told = { title: "A link to choose a password", facts: [], link: await ask(api.POST("/organisations/{organisation}/principals/{kind}/{principal}/password-link", { params: { path } })) };
    });
  const resend = () =>
    act(async () => {
      told = { title: "Invited once more", facts: [], link: await ask(api.POST("/organisations/{organisation}/principals/{kind}/{principal}/invitation", { params: { path } })) };
      await load();
    });
  const reveal = () =>
    act(async () => {
      told = { title: "The link of the invitation", facts: [], link: await ask(api.POST("/organisations/{organisation}/principals/{kind}/{principal}/invitation", { params: { path, query: { reveal: true } } })) };
      await load();
    });
  const resetFactor = () =>
    act(async () => {
      await ask(api.DELETE("/organisations/{organisation}/principals/{kind}/{principal}/second-factor", { params: { path } }));
      await load();
    });
</script>

<Page
  title={person?.title || name.slice(name.lastIndexOf("/") + 1)}
  lead={person ? [kind === "user" ? person.signIn : `${kind.replace("-", " ")} ${person.name}`, person.description].filter(Boolean).join(", ") : undefined}
>
  {#snippet actions()}
    {#if person}
      <QuietButton size="sm" href={href.check({ [kind]: person.name })}><SearchOutline class="me-2 h-4 w-4" />Check</QuietButton>
      {#if may("view-as") && person.state === "active" && !viewing.as}<QuietButton size="sm" onclick={() => viewing.start(kind, person?.name ?? "")}>Look as {person.title || "them"}</QuietButton>{/if}
      {#if may("edit")}<QuietButton size="sm" onclick={() => (editing = true)}>Edit</QuietButton>{/if}
      {#if authority.may("enrol group")}<QuietButton size="sm" onclick={() => (adding = true)}>Add to a group</QuietButton>{/if}
      {#if authority.may("create grant")}<Button size="sm" onclick={() => (granting = true)}>Grant a role</Button>{/if}
    {/if}
  {/snippet}
  {#if problem}
    <PageProblem {problem} />
  {:else if !person}
    <Skeleton rows={6} />
  {:else}
    {#if person.state === "pending"}
      <div class="mb-5 rounded-lg border border-copper-300 bg-copper-100 px-4 py-3 text-copper-900 dark:border-copper-700 dark:bg-copper-900/50 dark:text-copper-100" data-test="pending">
        <p class="font-semibold">Invited, and has not accepted yet: everything below is prepared and counts only once they do.</p>
        <p>The link {person.invitedUntil ? `works until ${moment(person.invitedUntil)}` : "no longer works"}.</p>
      </div>
    {:else if person.state !== "active"}
      <p class="mb-5 rounded-lg border border-copper-300 bg-copper-100 px-4 py-3 font-semibold text-copper-900 dark:border-copper-700 dark:bg-copper-900/50 dark:text-copper-100" data-test="out-of-use">
        This {kind.replace("-", " ")} is {person.state}: nothing signs in as it, and it holds nothing of what is written below.
      </p>
    {/if}
    {#if told}
      {@const result = { ...told, file: "arbora-" + person.name.replaceAll("/", "-") }}
      {#if told.link?.url || told.facts.some((fact) => fact.secret)}<SecretDialog {result} onclose={() => (told = null)} />
      {:else}<div class="mb-6 max-w-3xl"><ResultCard {...result} /></div>{/if}
    {/if}
    {#if acted}<div class="mb-5"><ProblemNote problem={acted} /></div>{/if}
    <dl class="card mb-4 grid grid-cols-4 gap-x-6 gap-y-4 px-5 py-4 max-md:grid-cols-2" data-test="facts">
      <div><dt class="quiet text-sm">State</dt><dd class="font-semibold"><StateMark state={person.state} /></dd></div>
      {#if kind === "service-account"}
        <div class="col-span-2"><dt class="quiet text-sm">Lives at</dt><dd><a class="link address" href={href.scope(person.name.slice(0, person.name.lastIndexOf("/")))}>{person.name.slice(0, person.name.lastIndexOf("/"))}</a></dd></div>
      {:else}
        {#if kind === "user"}<div><dt class="quiet text-sm">Email</dt><dd class="break-all">{person.email || "none"}</dd></div>{/if}
        <div>
          <dt class="quiet text-sm">Signs in by</dt>
          <dd>{#if kind === "outside-person"}{#if person.signInBy}password, as {person.signIn}{:else}<Who who={{ kind: "provider", name: person.provider ?? "" }} />{/if}{:else}{person.signInBy ? signInWays[person.signInBy] : "their own account"}{/if}{#if person.factor}{" "}<span class="quiet">and a second factor</span>{/if}</dd>
        </div>
      {/if}
      {#if kind !== "service-account"}<div><dt class="quiet text-sm">Last sign-in</dt><dd>{person.lastSignInAt ? moment(person.lastSignInAt) : "never"}</dd></div>{/if}
      <div><dt class="quiet text-sm">Created</dt><dd>{moment(person.createdAt)}</dd></div>
      {#if kind === "outside-person"}
        {#if person.signInBy}<div><dt class="quiet text-sm">In the directory of</dt><dd><Who who={{ kind: "provider", name: person.provider ?? "" }} /></dd></div>{/if}
        <div><dt class="quiet text-sm">Subject</dt><dd class="break-all">{person.subject}</dd></div>
        <div class="col-span-2">
          <dt class="quiet text-sm">Claims</dt>
          <dd>{#if !person.claims}none yet: they have not signed in{:else}{#each Object.entries(person.claims) as [claim, values] (claim)}<span class="me-3"><span class="quiet">{claim}</span> {values.join(", ")}</span>{:else}none{/each}{/if}</dd>
        </div>
      {/if}
      <div class="col-span-2">
        <dt class="quiet text-sm">In groups</dt>
        <dd class="flex flex-wrap gap-x-4">
          {#each person.groups as name (name)}<Who who={{ kind: "group", name }} />{:else}none{/each}
          {#if further.length > 0}<span class="quiet">and through them {further.join(", ")}</span>{/if}
        </dd>
      </div>
      {#if person.outsideGroups?.length}
        <div class="col-span-2" data-test="outside-groups">
          <dt class="quiet text-sm">In groups there</dt>
          <dd>
            <ul>
              {#each person.outsideGroups as g (g.name)}
                <li class="flex flex-wrap items-center gap-x-2"><span class="font-semibold">{g.name}</span>{#if g.links.length === 0}<span class="quiet">linked to no group</span>{:else}<span class="quiet">puts them into</span>{#each g.links as l (l.group + (l.by ?? ""))}<Who who={{ kind: "group", name: l.group }} />{#if l.by}<span class="quiet text-sm">by {l.by}</span>{/if}{/each}{/if}</li>
              {/each}
            </ul>
          </dd>
        </div>
      {/if}
      {#if person.ownsGroups && person.ownsGroups.length > 0}
        <div class="col-span-2"><dt class="quiet text-sm">Owns</dt><dd class="flex flex-wrap gap-x-4">{#each person.ownsGroups as name (name)}<Who who={{ kind: "group", name }} />{/each}</dd></div>
      {/if}
      <div>
        <dt class="quiet text-sm">Tags</dt>
        <dd>{#each Object.entries(person.tags) as [key, value] (key)}<span class="me-2 whitespace-nowrap"><span class="quiet">{key}</span> {value}</span>{:else}none{/each}</dd>
      </div>
    </dl>
    <div class="mb-7 flex flex-wrap gap-2" data-test="life">
      {#if person.state === "pending"}
        {#if may("create")}
          <QuietButton size="sm" onclick={resend}>Send the invitation again</QuietButton>
          <QuietButton size="sm" onclick={reveal} title="A new link that you see once. You must hold everything the invitation gives">Show a link</QuietButton>
        {/if}
        {#if may("retire")}<QuietButton size="sm" onclick={() => change("retired")}>Withdraw it</QuietButton>{/if}
      {:else}
        {#if takesPassword && may("reset") && person.state === "active"}
          {#if kind === "user"}<QuietButton size="sm" onclick={() => (resetting = true)}>Reset the password</QuietButton>{/if}
          {#if person.email}<QuietButton size="sm" onclick={mailLink}>{kind === "user" ? "Mail a link to choose one" : "Mail a link to choose a password"}</QuietButton>{/if}
          {#if person.factor}<QuietButton size="sm" onclick={resetFactor}>Remove the second factor</QuietButton>{/if}
        {/if}
        {#if person.state === "active" && may("suspend")}<QuietButton size="sm" onclick={() => change("suspended")}>Suspend</QuietButton>{/if}
        {#if person.state !== "retired" && may("retire")}<QuietButton size="sm" onclick={() => change("retired")}>Retire</QuietButton>{/if}
        {#if person.state !== "active" && may("restore")}<QuietButton size="sm" onclick={() => change("active")}>Restore</QuietButton>{/if}
      {/if}
      {#if direct && person.state !== "active" && person.state !== "pending"}<QuietButton size="sm" onclick={() => (handing = true)}>Hand the grants over</QuietButton>{/if}
    </div>
    <Holdings of={person} {fresh} onchange={load} />
    <section aria-labelledby="spread-heading" class="mt-7">
      <h2 id="spread-heading" class="mb-2 text-lg font-semibold">Access map</h2>
      {#await import("../parts/SpreadPicture.svelte") then { default: SpreadPicture }}{#key kind + name}<SpreadPicture {kind} {name} />{/key}{/await}
    </section>
    {#key `${kind} ${name} ${resets}`}
      {#if kind !== "service-account" && person.state === "active"}<SessionsOf {kind} name={person.name} mayEnd={may("reset")} />{/if}
      {#if takesPassword}<PasskeysOf name={person.name} mayRemove={may("reset")} />{/if}
      {#if takesKeys && kind !== "outside-person"}<KeyTable {kind} {name} mayIssue={may("reset") && person.state === "active"} />{/if}
    {/key}
    {#if person.state === "active"}{#key kind + name}<CouldHold {kind} name={person.name} />{/key}{/if}
    {#if kind === "user"}{#key name}<IssuedKeys name={person.name} left={person.state !== "active"} />{/key}{/if}
    <MembershipDialog bind:open={adding} member={{ kind, name: person.name }} already={person.groups.map((name) => ({ kind: "group", name }))} ondone={load} />
    <GrantDialog bind:open={granting} prepared={{ who: { kind, name: person.name } }} ondone={(id) => ((fresh = id), load())} />
    <ResetDialog bind:open={resetting} of={person} ondone={tellPassword} />
    <StateDialog bind:open={changing} of={person} {to} ondone={load} />
    <EditDialog bind:open={editing} of={person} ondone={load} />
    <HandOverDialog bind:open={handing} of={person} ondone={load} />
  {/if}
</Page>
