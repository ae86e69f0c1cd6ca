<!-- Who comes, how they sign in and what they get, side by side, with what they will be able to do worked out as one types. -->
<script lang="ts">
  import { Button, Checkbox, Radio } from "flowbite-svelte";
  import { untrack } from "svelte";
  import { router } from "svelte-spa-router";
  import { api, ask, asProblem, confirming, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { focus } from "../lib/focus";
  import { asking, typing } from "../lib/asking";
  import { groups as listGroups, users as listUsers } from "../lib/directory";
  import { whenChanged } from "../lib/live.svelte";
  import { Kept } from "../lib/kept.svelte";
  import { session } from "../lib/session.svelte";
  import { tagsFault, tagsIn } from "../lib/tags";
  import { href } from "../lib/words";
  import AccessPicker, { type Line } from "../parts/AccessPicker.svelte";
  import Choice from "../parts/Choice.svelte";
  import Field from "../parts/Field.svelte";
  import ImpactNote from "../parts/ImpactNote.svelte";
  import KeptNotice from "../parts/KeptNotice.svelte";
  import PasswordInput from "../parts/PasswordInput.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import ResultCard from "../parts/ResultCard.svelte";
  import TextInput from "../parts/TextInput.svelte";

  const guest = $derived(new URLSearchParams(router.querystring ?? "").has("guest"));

  let name = $state("");
  let title = $state("");
  let email = $state("");
  let description = $state("");
  let tags = $state("");
  let by = $state<Schemas["SignInBy"]>("password");
  let first = $state<"generated" | "given" | "link">("generated");
  let password = $state("");
  let temporary = $state(true);
  let keyLabel = $state("");
  let notify = $state(false);
  let lines = $state.raw<Line[]>([]);
  let pending = $state.raw<Line | null>(null);
  let half = $state("");
  let atMost = $state("");
  const bounds = [
    { value: "observe anything", hint: "see what there is, and change nothing" },
    { value: "observe, operate anything", hint: "see and run what there is" },
    { value: "observe, operate, modify anything", hint: "everything but destroy and govern" },
    { value: "do anything to storage", hint: "one service alone, here storage" },
  ];

  let known = $state.raw<{ groups: { value: string; hint?: string }[]; users: { value: string; hint?: string }[] }>({ groups: [], users: [] });
  let impact = $state.raw<Schemas["Impact"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  let user = $state.raw<Schemas["UserMade"] | null>(null);
  let invited = $state.raw<Schemas["GuestMade"] | null>(null);

  $effect(() => void authority.load());
  $effect(() => {
    Promise.all([listUsers(session.organisation), listGroups(session.organisation)]).then(
      ([u, g]) => (known = { users: u.map((x) => ({ value: x.name, hint: x.title })), groups: g.filter((x) => !x.gathers).map((x) => ({ value: x.name, hint: x.title })) }),
      (caught) => (problem = asProblem(caught)),
    );
  });

  // A password is not kept.
  const kept = new Kept(
    () => ({ name, title, email, description, tags, by, first, temporary, keyLabel, notify, lines, atMost }),
    (written) => ({ name, title, email, description, tags, by, first, temporary, keyLabel, notify, lines, atMost } = written),
  );
  $effect(() => untrack(() => kept.begin(guest ? "new guest" : "new person")));

  const takesPassword = $derived(by === "password" || by === "both");
  const takesKey = $derived(by === "key" || by === "both");
  const all = $derived(pending ? [...lines, pending] : lines);
  const start = $derived({
    groups: all.flatMap((l) => (l.group === undefined ? [] : [l.group])),
    grants: all.flatMap((l) => (l.grant ? [{ scope: l.grant.scope, role: l.grant.role, condition: l.grant.condition, from: l.grant.from, until: l.grant.until }] : [])),
  });
  const about = $derived({
    title: title || undefined,
    description: description || undefined,
    tags: tags.trim() ? tagsIn(tags) : undefined,
    atMost: atMost.trim() || undefined,
    ...start,
  });
  const newUser = $derived<Schemas["UserNew"]>({
    name: name.trim(),
    email: email || undefined,
    ...about,
    signInBy: by,
    password: takesPassword && first === "given" ? password || undefined : undefined,
    temporary: takesPassword && first !== "link" && temporary,
    link: takesPassword && first === "link" ? true : undefined,
    notify: notify || undefined,
    key: takesKey ? { label: keyLabel || "first key" } : undefined,
  });
  const newGuest = $derived<Schemas["GuestNew"]>({ email: email.trim(), ...about });
  const ready = $derived(!half && !tagsFault(tags) && (guest ? email.includes("@") && email.includes(".") : name.trim() !== "" && (first !== "given" || !takesPassword || password !== "")));

  const path = $derived({ organisation: session.organisation });

  // The account of what they will be able to do follows what is typed, a moment later; an answer that comes too late is left
  // aside.
  $effect(() => {
    if (!ready || user || invited) return;
    const asked = guest ? { guest: newGuest } : { user: newUser };
    const query = { preview: true };
    return asking<{ impact?: Schemas["Impact"] } | object>(
      () =>
        asked.guest
          ? ask(api.POST("/organisations/{organisation}/guests", { params: { path, query }, body: asked.guest }))
          : ask(api.POST("/organisations/{organisation}/users", { params: { path, query }, body: asked.user })),
      (answer) => ([impact, problem] = ["impact" in answer ? (answer.impact ?? null) : null, null]),
      (caught) => ([impact, problem] = [null, caught]),
      typing,
    );
  });

  // Once the guest has accepted, the link is spent.
  let accepted = $state(false);
  whenChanged(async () => {
    if (!invited) return;
    const guestNow = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path: { ...path, kind: "guest", principal: invited.guest.name } } }));
    accepted = guestNow.state === "active";
  }, () => ({ kinds: ["guest"] }));

  async function create(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      const header = confirming(impact);
      if (guest) {
        const made = await ask(api.POST("/organisations/{organisation}/guests", { params: { path, header }, body: newGuest }));
        if ("guest" in made) invited = made;
      } else {
        const made = await ask(api.POST("/organisations/{organisation}/users", { params: { path, header }, body: newUser }));
        if ("user" in made) user = made;
      }
      kept.drop();
      password = "";
      document.getElementById("page")?.scrollTo({ top: 0 });
    } catch (caught) {
      problem = asProblem(caught);
      impact = problem.impact ?? impact;
    } finally {
      busy = false;
    }
  }

  const facts = $derived(
    user
      ? [
          { name: "Sign-in address", key: "address", value: user.address },
          { name: "Signs in as", key: "signIn", value: user.signIn },
          ...(user.password ? [{ name: "Password", key: "password", value: user.password, secret: true, note: newUser.temporary ? "to be replaced at the first sign-in, within 7 days" : undefined }] : []),
          ...(user.key ? [{ name: "API key", key: "key", value: user.key.key.id }, { name: "Its secret", key: "secret", value: user.key.secret, secret: true }] : []),
        ]
      : [],
  );
</script>

{#if user}
  <Page title="Created {user.user.title}" lead="user {user.user.name} of {session.organisation}">
    {#snippet actions()}
      <QuietButton size="sm" href="#/people">All people</QuietButton>
      <Button size="sm" href={href.user(user?.user.name ?? "")}>Open the person's page</Button>
    {/snippet}
    <div class="max-w-3xl"><ResultCard title="{user.user.title} can sign in" {facts} link={user.link} mailed={user.mailed} file={"arbora-" + user.user.name} /></div>
    {#if impact && impact.effects.length > 0}
      <section class="mt-6 max-w-3xl">
        <h2 class="mb-2 text-lg font-semibold">What {user.user.name} can do now</h2>
        <ImpactNote {impact} made />
      </section>
    {/if}
  </Page>
{:else if invited}
  <Page title="Invited {invited.guest.title}" lead={accepted ? `a guest of ${session.organisation}` : `a guest of ${session.organisation}, pending until they accept`}>
    {#snippet actions()}
      <QuietButton size="sm" href="#/people">All people</QuietButton>
      <Button size="sm" href={href.guest(invited?.guest.name ?? "")}>Open the guest's page</Button>
    {/snippet}
    <div class="max-w-3xl"><ResultCard title="{invited.guest.name} {accepted ? 'has accepted the invitation' : 'is invited'}" facts={[{ name: accepted ? "Guest" : "Invited", key: "guest", value: invited.guest.name }]} link={accepted ? undefined : invited.link} file={"arbora-invitation"} /></div>
  </Page>
{:else}
  <Page title={guest ? "Invite a guest" : "Create a person"} lead={guest ? "Somebody from outside, by mail. What you prepare counts once they accept." : "Who, how they sign in and what they get, in one go. Nothing is written before you confirm."}>
    {#snippet actions()}
      {#if guest}<QuietButton size="sm" href="#/people/new">Create a user instead</QuietButton>{:else}<QuietButton size="sm" href="#/people/new?guest">Invite a guest instead</QuietButton>{/if}
    {/snippet}
    {#if kept.restored}<div class="mb-4"><KeptNotice {kept} /></div>{/if}
    <form onsubmit={create}>
      <div class="grid grid-cols-3 items-start gap-5 max-lg:grid-cols-1">
        <section class="card space-y-3 p-5" aria-labelledby="who-heading">
          <h2 id="who-heading" class="text-lg font-semibold">Who</h2>
          {#if guest}
            <Field label="Mail address" name="email" {problem} hint="The invitation goes there, and works once and for 7 days.">
              {#snippet children(id)}<TextInput {id} name="guest-email" {@attach focus} type="email" bind:value={email} placeholder="name@example.org" autocomplete="off" required />{/snippet}
            </Field>
          {:else}
            <Field label="Name" name="name" {problem} hint={`Signs in as ${name || "NAME"}@${session.organisation}`}>
              {#snippet children(id)}<TextInput {id} name="user-name" {@attach focus} bind:value={name} autocomplete="off" required />{/snippet}
            </Field>
          {/if}
          <Field label="Display name" name="title" {problem}>
            {#snippet children(id)}<TextInput {id} name="user-title" bind:value={title} autocomplete="off" />{/snippet}
          </Field>
          {#if !guest}
            <Field label="Email (optional)" name="email" {problem}>
              {#snippet children(id)}<TextInput {id} name="user-email" type="email" bind:value={email} autocomplete="off" />{/snippet}
            </Field>
          {/if}
          <Field label="About (optional)" name="description" {problem}>
            {#snippet children(id)}<TextInput {id} name="user-about" bind:value={description} autocomplete="off" />{/snippet}
          </Field>
          <Field label="Tags (optional)" name="tags" problem={tagsFault(tags) ?? problem} hint="KEY=VALUE, separated by commas">
            {#snippet children(id)}<TextInput {id} name="user-tags" bind:value={tags} placeholder="team=seeds" autocomplete="off" />{/snippet}
          </Field>
        </section>

        <section class="card space-y-4 p-5" aria-labelledby="how-heading">
          <h2 id="how-heading" class="text-lg font-semibold">How they sign in</h2>
          {#if guest}
            <p>By a link in the mail. A person without an account here chooses a password with it; somebody of another organisation accepts as who they are.</p>
            <p class="quiet">Until then the guest is <strong>pending</strong> and holds nothing. You can send the link again, copy it, or withdraw it.</p>
          {:else}
            <div class="flex flex-wrap gap-x-6 gap-y-2">
              <Radio name="by" bind:group={by} value="password">Password</Radio>
              <Radio name="by" bind:group={by} value="key">API key only</Radio>
              <Radio name="by" bind:group={by} value="both">Both</Radio>
            </div>
            {#if takesPassword}
              <fieldset class="space-y-2">
                <legend class="label">First password</legend>
                <Radio name="first" bind:group={first} value="generated">Generated, shown to you once</Radio>
                <Radio name="first" bind:group={first} value="given">Given by you</Radio>
                <Radio name="first" bind:group={first} value="link">None: mail a link to choose one</Radio>
              </fieldset>
              {#if first === "given"}
                <Field label="Password" name="password" {problem} hint="At least 15 characters; four or five unrelated words do well.">
                  {#snippet children(id)}<PasswordInput {id} name="user-password" bind:value={password} autocomplete="new-password" />{/snippet}
                </Field>
              {:else if first === "link"}
                <p class="quiet text-sm">The link works once and for a day.{#if !email}{" "}<strong class="text-copper-700 dark:text-copper-300">It needs the person's email.</strong>{/if}</p>
              {/if}
              {#if first !== "link"}<Checkbox bind:checked={temporary}>Temporary: another must be chosen at the first sign-in, within 7 days</Checkbox>{/if}
            {/if}
            {#if takesKey}
              <Field label="What the key is for" name="key" {problem} hint="Its secret is shown to you once.">
                {#snippet children(id)}<TextInput {id} name="key-label" bind:value={keyLabel} placeholder="laptop" autocomplete="off" />{/snippet}
              </Field>
            {/if}
            <Checkbox bind:checked={notify} disabled={!email}>Mail them how to sign in (never a password)</Checkbox>
          {/if}
        </section>

        <section class="card row-span-2 p-5" aria-labelledby="what-heading">
          <h2 id="what-heading" class="mb-4 text-lg font-semibold">What they get</h2>
          <AccessPicker bind:lines bind:pending bind:half groups={known.groups} users={known.users} />
          {#if authority.may("create policy")}
            <div class="mt-5">
              <Field label="At most (optional)" name="atMost" {problem} hint="Whatever they are given later, they may do no more than this. It becomes a policy of its own.">
                {#snippet children(id)}<Choice {id} name="at-most" bind:value={atMost} options={bounds} placeholder="observe anything" />{/snippet}
              </Field>
            </div>
          {/if}
        </section>

      <section class="card col-span-2 p-5 max-lg:col-span-1" aria-labelledby="then-heading" data-test="account">
        <h2 id="then-heading" class="mb-2 text-lg font-semibold">What {title || name || "this person"} will be able to do{guest ? " once they accept" : ""}</h2>
        {#if problem && !["name", "email", "title", "password", "tags", "atMost"].includes(problem.field ?? "")}
          <ProblemNote {problem} />
        {:else if half}
          <p class="font-semibold text-copper-700 dark:text-copper-300" role="alert" data-test="half">{half}</p>
        {:else if !ready}
          <p class="quiet">{guest ? "Give the mail address" : "Give a name"}, and it is worked out here as you go.</p>
        {:else if impact && impact.effects.length === 0}
          <p>Nothing yet: all is denied until a grant or a group gives access.</p>
        {:else if impact}
          <ImpactNote {impact} />
        {/if}
        <div class="mt-4 flex items-center gap-3">
          <Button type="submit" disabled={busy || !ready || !impact} data-test="confirm-person">{guest ? "Invite" : "Create"} {title || name}</Button>
          <QuietButton href="#/people">Cancel</QuietButton>
        </div>
      </section>
      </div>
    </form>
  </Page>
{/if}
