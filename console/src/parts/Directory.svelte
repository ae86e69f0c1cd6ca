<!-- The directory whose people come by an identity provider: how it is read, what that would do now, and what the last readings did. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { duration } from "../lib/readings";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import { moment } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import DirectoryDialog from "./DirectoryDialog.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import ReadingDialog from "./ReadingDialog.svelte";
  import Readings from "./Readings.svelte";

  let { provider, active, inUse = $bindable(false), onchange }: { provider: string; active: boolean; inUse?: boolean; onchange: () => void } = $props();

  let is = $state.raw<Schemas["Directory"] | null>(null);
  let readings = $state.raw<Schemas["DirectoryReading"][]>([]);
  let problem = $state.raw<Problem | null>(null);
  let setting = $state(false);
  let reading = $state(false);
  let removing = $state(false);

  const path = $derived({ organisation: session.organisation, provider });

  async function load() {
    try {
      is = await ask(api.GET("/organisations/{organisation}/providers/{provider}/directory", { params: { path } }));
      inUse = is.set;
      if (is.set) readings = (await ask(api.GET("/organisations/{organisation}/providers/{provider}/directory/readings", { params: { path } }))).readings;
      problem = null;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    void provider;
    untrack(load);
  });

  const changed = () => (load(), onchange());

  // A reading that goes on after its answer is looked for until it has ended.
  let running = $state("");
  $effect(() => {
    if (!running) return;
    const looking = setInterval(async () => {
      await load();
      if (readings.some((r) => r.id === running)) ((running = ""), onchange());
    }, 2000);
    return () => clearInterval(looking);
  });
  const remove = sending(
    (query, header) => ask(api.DELETE("/organisations/{organisation}/providers/{provider}/directory", { params: { path, query, header } })),
    () => `The directory of ${provider} is removed.`,
    () => changed(),
  );
</script>

<section class="mb-7" data-test="directory" aria-labelledby="directory-heading">
  <div class="mb-2 flex flex-wrap items-center gap-3">
    <h2 id="directory-heading" class="text-lg font-semibold">Directory</h2>
    {#if is?.set}
      {#if active}<QuietButton size="sm" data-test="read-directory" disabled={running !== ""} onclick={() => (reading = true)}>Read it now</QuietButton>{/if}
      <QuietButton size="sm" onclick={() => (setting = true)}>Edit</QuietButton>
      <QuietButton size="sm" data-test="remove-directory" onclick={() => (removing = true)}>Remove</QuietButton>
    {:else if is}
      <QuietButton size="sm" data-test="set-directory" onclick={() => (setting = true)}>Read a directory</QuietButton>
    {/if}
  </div>
  {#if problem}
    <ProblemNote {problem} />
  {:else if is && !is.set}
    <p class="card quiet px-5 py-4">People and groups can be read from a directory by LDAP. People who are in it come by this provider, and people who leave it lose their access here.</p>
  {:else if is}
    {@const set = is.settings}
    <dl class="card mb-3 grid grid-cols-[max-content_1fr] gap-x-6 gap-y-1 px-5 py-4" data-test="directory-facts">
      <dt class="quiet">Address</dt><dd><span class="address">{set.address}</span> as {#if set.bindName}<span class="address">{set.bindName}</span>{:else}nobody{/if}{#if set.bindName && !is.hasPassword}<span class="font-semibold text-copper-700 dark:text-copper-300">, without a password</span>{/if}</dd>
      <dt class="quiet">People</dt><dd class="address break-all">{set.people.filter} under {set.people.base}</dd>
      <dt class="quiet">Groups</dt><dd class="address break-all">{set.groups.base ? `${set.groups.filter} under ${set.groups.base}` : "none"}</dd>
      <dt class="quiet">Read</dt><dd>{set.every ? `every ${duration(set.every)}` : "when somebody asks"}{is.nextAt ? `, next on ${moment(is.nextAt)}` : ""}. It stops if more than {set.mostLeaving} percent would leave, or somebody who governs.</dd>
    </dl>
    {#if running}<p class="mb-3 font-semibold" role="status">It is being read now. That takes a while, and goes on if you leave this page.</p>{/if}
    <Readings {readings} />
  {/if}
</section>

{#if is}
  <DirectoryDialog bind:open={setting} {provider} of={is} ondone={changed} />
  <ReadingDialog bind:open={reading} {provider} ondone={(id) => ((running = id), changed())} />
{/if}
<ChangeDialog bind:open={removing} title="Remove the directory of {provider}?" action="Remove" preview={remove.preview} make={remove.make}>
  {#snippet children()}<p>Its people stay as they are. Its readings are forgotten.</p>{/snippet}
</ChangeDialog>
