<!-- What becomes of a provider's claims, and whom they let in, tried at once against claims that came. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, asProblem, confirming, type Problem, type Schemas } from "../lib/api";
  import { asking, typing } from "../lib/asking";
  import { Kept } from "../lib/kept.svelte";
  import { session } from "../lib/session.svelte";
  import { capital, moment } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Field from "./Field.svelte";
  import TextInput from "./TextInput.svelte";

  type Impact = Schemas["Impact"] | null;
  type Part = { field: string; path: string; otherwise: string };
  let { open = $bindable(false), provider, of, arrivals, ondone }: { open?: boolean; provider: string; of: Schemas["Entry"]; arrivals: Schemas["Arrival"][]; ondone: () => void } = $props();

  const fixed = ["subject", "name", "title", "email", "groups"] as const;
  const about: Record<string, string> = { subject: "Never changes", name: "Before @" + untrack(() => provider), title: "Display name", email: "Mail address", groups: "Groups there" };
  const partsOf = (m: Schemas["ClaimMap"]): Part[] => [
    ...fixed.map((field) => ({ field, path: m[field].path, otherwise: m[field].otherwise ?? "" })),
    ...Object.entries(m.tags ?? {}).map(([key, pick]) => ({ field: "tag " + key, path: pick.path, otherwise: pick.otherwise ?? "" })),
  ];
  const textsOf = (now: Schemas["Entry"]) => ({ parts: partsOf(now.claimMap), rule: now.entryRule, hours: String(now.claimsLast / 60) });

  let fields = $state(untrack(() => textsOf(of)));
  let tag = $state("");
  let against = $state(""); // the arrival whose claims are tried
  let tried = $state.raw<Schemas["ClaimsTried"] | null>(null);
  let fault = $state.raw<Problem | null>(null); // why they could not be tried
  const kept = new Kept(() => ({ ...fields }), (written) => (fields = written ?? fields));

  $effect(() => {
    if (!open) return;
    untrack(() => {
      fields = textsOf(of);
      tag = "";
      against = arrivals.find((a) => a.claims)?.id ?? "";
      kept.begin(`entry ${provider}`);
    });
  });

  const pick = (part: Part) => ({ path: part.path.trim(), ...(part.otherwise.trim() ? { otherwise: part.otherwise.trim() } : {}) });
  const claimMap = $derived.by((): Schemas["ClaimMap"] => {
    const [subject, name, title, email, groups, ...tags] = fields.parts.map((part) => [part.field, pick(part)] as const);
    return { subject: subject![1], name: name![1], title: title![1], email: email![1], groups: groups![1], tags: Object.fromEntries(tags.map(([field, p]) => [field.slice(4), p])) };
  });
  const minutes = $derived(Math.round(Number(fields.hours) * 60));
  const body = $derived.by((): Schemas["EntryEdit"] => {
    const edit: Schemas["EntryEdit"] = {};
    if (JSON.stringify(fields.parts) !== JSON.stringify(partsOf(of.claimMap))) edit.claimMap = claimMap;
    if (fields.rule.trim() !== of.entryRule) edit.entryRule = fields.rule.trim();
    if (minutes !== of.claimsLast) edit.claimsLast = minutes;
    return edit;
  });
  const ready = $derived(Object.keys(body).length > 0 && minutes > 0);
  const path = $derived({ organisation: session.organisation, provider });
  const claims = $derived(arrivals.find((a) => a.id === against)?.claims);

  $effect(() => {
    if (!open || !claims) return;
    const wanted = { claims, claimMap, entryRule: fields.rule.trim() };
    return asking(
      () => ask(api.POST("/organisations/{organisation}/providers/{provider}/entry/tries", { params: { path }, body: wanted })),
      (answer) => ([tried, fault] = [answer, null]),
      (problem) => ([tried, fault] = [null, problem]),
      typing,
    );
  });
  const found = (field: string) => tried?.picks.find((p) => p.field === field);

  function addTag() {
    const key = tag.trim();
    if (key && !fields.parts.some((part) => part.field === "tag " + key)) fields.parts.push({ field: "tag " + key, path: "$." + key, otherwise: "" });
    tag = "";
  }

  async function preview(): Promise<Impact> {
    return (await ask(api.PATCH("/organisations/{organisation}/providers/{provider}/entry", { params: { path, query: { preview: true } }, body }))).impact ?? null;
  }

  async function make(impact: Impact) {
    await ask(api.PATCH("/organisations/{organisation}/providers/{provider}/entry", { params: { path, header: confirming(impact) }, body }));
    ondone();
  }
</script>

<ChangeDialog bind:open title="Whom {provider} lets in, and as whom" action="Save" size="md" {ready} {preview} asks={() => body} {kept} {make}>
  {#snippet children(problem)}
    {@const shown = problem ?? fault}
    {#if arrivals.some((a) => a.claims)}
      <Field label="Try it with what was said of" name="against">
        {#snippet children(id)}
          <select {id} bind:value={against} class="field w-full" name="entry-against">
            {#each arrivals.filter((a) => a.claims) as a (a.id)}<option value={a.id}>{a.name || a.subject || "somebody"}, {moment(a.at)}{a.trial ? ", on trial" : a.refused ? ", refused" : ""}</option>{/each}
          </select>
        {/snippet}
      </Field>
    {:else}
      <p class="quiet">Nobody has come by it yet. After a trial you see here what each line finds.</p>
    {/if}
    {#if tried}
      <p class="rounded-lg border px-4 py-2 {tried.fault || !tried.admitted ? 'border-copper-300 bg-copper-100 dark:border-copper-700 dark:bg-copper-900/50' : 'border-primary-200 bg-primary-50 dark:border-primary-700 dark:bg-primary-900/40'}" data-test="tried">
        {#if tried.fault}They would not come in: {tried.fault}.
        {:else if !tried.admitted}They would not come in. This does not hold: <span class="font-mono">{tried.stops}</span>
        {:else}They would come in as {tried.known || "somebody new"}. {tried.impact?.words ?? ""}{/if}
      </p>
    {/if}
    <table class="w-full text-sm">
      <thead><tr class="quiet text-left"><th class="pb-1 font-normal">Becomes</th><th class="pb-1 font-normal">Claim, by JSONPath</th><th class="pb-1 font-normal">Otherwise</th><th></th></tr></thead>
      <tbody>
        {#each fields.parts as part, i (part.field)}
          {@const values = found(part.field)}
          <tr class="align-top">
            <th class="w-28 py-1 pe-3 text-left font-semibold">{capital(part.field)}<span class="quiet block text-xs font-normal">{about[part.field] ?? ""}</span></th>
            <td class="py-1 pe-2">
              <TextInput name="entry-{part.field.replace(' ', '-')}" bind:value={part.path} class="font-mono" aria-label="Claim of {part.field}" />
              {#if values}<p class="mt-0.5 {values.values.length > 0 ? 'text-primary-800 dark:text-primary-200' : 'quiet'}" data-test="found-{part.field}">{values.values.length > 0 ? values.values.join(", ") : "nothing found"}{values.otherwise && values.values.length > 0 ? " (otherwise)" : ""}</p>{/if}
            </td>
            <td class="w-44 py-1"><TextInput name="otherwise-{part.field.replace(' ', '-')}" bind:value={part.otherwise} class="font-mono" aria-label="Otherwise, for {part.field}" /></td>
            <td class="w-8 py-1 text-right">{#if i >= fixed.length}<button type="button" class="link text-lg leading-9" aria-label="Take {part.field} away" onclick={() => fields.parts.splice(i, 1)}>×</button>{/if}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if shown?.field?.startsWith("claimMap")}<p class="text-sm font-semibold text-copper-700 dark:text-copper-300" role="alert">{capital(shown.detail)}</p>{/if}
    <div class="flex items-end gap-2">
      <div class="w-44"><Field label="Another tag" name="tag">{#snippet children(id)}<TextInput {id} name="entry-new-tag" bind:value={tag} placeholder="team" onkeydown={(event) => event.key === "Enter" && (event.preventDefault(), addTag())} />{/snippet}</Field></div>
      <button type="button" class="link pb-2" onclick={addTag}>Add it</button>
    </div>
    <Field label="Entry rule" name="entryRule" problem={shown} hint={'Who does not fulfil it stays out. Such as: claim.role is "consultant". Empty lets everybody in.'}>
      {#snippet children(id)}<TextInput {id} name="entry-rule" bind:value={fields.rule} class="font-mono" placeholder={'claim.role is "consultant"'} />{/snippet}
    </Field>
    <div class="w-56">
      <Field label="Hours that claims last" name="claimsLast" problem={shown} hint="Then people sign in there again.">
        {#snippet children(id)}<TextInput {id} name="entry-hours" type="number" min="0.25" max="168" step="0.25" bind:value={fields.hours} />{/snippet}
      </Field>
    </div>
  {/snippet}
</ChangeDialog>
