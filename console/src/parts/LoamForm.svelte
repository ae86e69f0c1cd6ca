<!-- A resource made in Loam, edited or resized there. -->
<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";
  import { untrack } from "svelte";
  import { asProblem, type Problem } from "../lib/api";
  import { loam, type Resource } from "../lib/loam.svelte";
  import { tree } from "../lib/tree.svelte";
  import { capital } from "../lib/words";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import TextInput from "./TextInput.svelte";

  let { open = $bindable(false), at, type, resource, operation, ondone }: { open?: boolean; at: string; type: string; resource?: Resource; operation: "create" | "edit" | "resize"; ondone: () => void } = $props();

  let name = $state("");
  let title = $state("");
  let size = $state("small");
  let network = $state("");
  let runsAs = $state("");
  let range = $state("");
  let rules = $state("");
  let text = $state("");
  let largest = $state("");
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);

  // Opening alone begins anew: a tree that arrives later leaves what was typed.
  $effect(() => {
    if (open) untrack(begin);
  });

  function begin() {
    name = title = network = runsAs = range = rules = text = largest = "";
    size = resource?.size ?? "small";
    problem = null;
    if (tree.nodes.length === 0) tree.load();
  }

  const networks = $derived(tree.nodes.filter((n) => n.type === "network").map((n) => ({ value: n.address, hint: n.title })));
  const sized = $derived((type === "machine" || type === "database") && operation !== "edit");
  const fields = $derived({ network: type === "machine" || type === "lab", runsAs: type === "machine", range: type === "network" || type === "subnet", rules: type === "network", text: type === "app", largest: type === "bucket" || type === "database" });

  async function send(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    const given = { size: sized ? size : undefined, network, runsAs, range, rules: rules ? rules.split("\n").filter(Boolean) : undefined, text: text || undefined, largest: largest ? Number(largest) : undefined };
    const input = Object.fromEntries(Object.entries(given).filter(([, value]) => value !== undefined && value !== ""));
    try {
      if (operation === "create") await loam.create({ ...input, type, name, title, at });
      else await loam.act(at, operation, input);
      open = false;
      if (operation === "create") tree.load();
      ondone();
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }
</script>

<Modal bind:open size="md" title={operation === "create" ? "Create a " + type : capital(operation) + " " + (resource?.name ?? "")} outsideclose>
  <form onsubmit={send} class="space-y-4">
    {#if operation === "create"}
      <Field label="Name" name="name" {problem} hint={name ? "Its address will be " + at + "/" + name + "." + type : "Lower-case letters, digits and hyphens."}>
        {#snippet children(id)}<TextInput {id} name="name" bind:value={name} required />{/snippet}
      </Field>
      <Field label="Title (optional)" name="title" {problem}>{#snippet children(id)}<TextInput {id} name="title" bind:value={title} />{/snippet}</Field>
    {/if}
    {#if sized}
      <fieldset class="flex gap-2">
        <legend class="label">Size</legend>
        {#each ["small", "medium", "large"] as choice (choice)}
          <label class="cursor-pointer rounded-lg border border-gray-300 px-3 py-1.5 has-checked:border-primary-600 has-checked:bg-primary-50 has-focus-visible:outline-2 has-focus-visible:outline-primary-500 dark:border-gray-600 dark:has-checked:border-primary-400 dark:has-checked:bg-primary-950">
            <input type="radio" name="size" value={choice} bind:group={size} class="sr-only" />{choice}
          </label>
        {/each}
      </fieldset>
    {/if}
    {#if operation !== "resize"}
      {#if fields.network}
        <Field label="Network" name="network" {problem} hint="To attach it you need the permission attach network there.">{#snippet children(id)}<Choice {id} name="network" bind:value={network} options={networks} />{/snippet}</Field>
      {/if}
      {#if fields.runsAs}
        <Field label="Runs as (optional)" name="runsAs" {problem} hint="The address of a service account. To attach it you need the permission attach service-account on it.">
          {#snippet children(id)}<TextInput {id} name="runsAs" bind:value={runsAs} />{/snippet}
        </Field>
      {/if}
      {#if fields.range}<Field label="Range" name="range" {problem} hint="In CIDR notation, such as 10.20.0.0/16.">{#snippet children(id)}<TextInput {id} name="range" bind:value={range} />{/snippet}</Field>{/if}
      {#if fields.rules}
        <Field label="Lets pass (optional)" name="rules" {problem} hint="A rule a line, such as let in tcp 443 from 10.0.0.0/8.">{#snippet children(id)}<textarea {id} name="rules" rows="3" spellcheck="false" bind:value={rules} class="statement field w-full"></textarea>{/snippet}</Field>
      {/if}
      {#if fields.largest}
        <Field label="Takes at most (optional)" name="largest" {problem} hint="The largest {type === 'bucket' ? 'object' : 'record'} that is taken, in bytes; 0 for no bound.">
          {#snippet children(id)}<TextInput {id} name="largest" inputmode="numeric" pattern="[0-9]*" bind:value={largest} />{/snippet}
        </Field>
      {/if}
      {#if fields.text}
        <Field label="Page (HTML)" name="text" {problem}>{#snippet children(id)}<textarea {id} name="text" rows="6" spellcheck="false" bind:value={text} class="statement field w-full"></textarea>{/snippet}</Field>
      {/if}
    {/if}
    {#if problem && !["name", "range", "rules", "network", "size", "largest"].includes(problem.field ?? "")}<ProblemNote {problem} />{/if}
    <div class="flex justify-end gap-2">
      <QuietButton type="button" onclick={() => (open = false)}>Cancel</QuietButton>
      <Button type="submit" disabled={busy || (operation === "create" && !name)} data-test="confirm-loam">{operation === "create" ? "Create it" : capital(operation)}</Button>
    </div>
  </form>
</Modal>
