<!-- What came of creating or inviting somebody: where they sign in, and secrets that are shown this once. -->
<script lang="ts" module>
  import type { Schemas as S } from "../lib/api";

  export type Fact = { name: string; key: string; value: string; secret?: boolean; note?: string };
  export type Result = { title: string; facts: Fact[]; link?: S["LinkMade"]; mailed?: S["Mailed"]; file: string };
</script>

<script lang="ts">
  import { CheckCircleOutline } from "flowbite-svelte-icons";
    import { csv, save } from "../lib/download";
  import { leaving } from "../lib/leaving.svelte";
  import { moment } from "../lib/words";
  import QuietButton from "./QuietButton.svelte";

  // bare leaves out its heading: it stands in a dialog that has it. kept tells whether a secret was copied or saved.
  let { title, facts, link, mailed, file, bare = false, kept = $bindable(false) }: Result & { bare?: boolean; kept?: boolean } = $props();

  let copied = $state("");

  const all = $derived(link?.url ? [...facts, { name: "Link", key: "link", value: link.url, secret: true, note: `works once, until ${moment(link.until)}` }] : facts);
  const secrets = $derived(all.some((f) => f.secret));

  async function copy(text: string, what: string) {
    await navigator.clipboard.writeText(text);
    copied = what;
    kept = true;
  }

  function keep(type: string, ending: string, text: string) {
    save(file + ending, type, text);
    kept = true;
  }

  leaving.hold(() => secrets && !kept);
</script>

<section class="card overflow-hidden" data-test="result" aria-label={title}>
  {#if !bare}<header class="flex items-center gap-3 border-b border-gray-200 bg-primary-50 px-6 py-4 dark:border-gray-700 dark:bg-primary-950">
    <CheckCircleOutline class="h-7 w-7 text-primary-600 dark:text-primary-300" />
    <h2 id="result-heading" class="text-xl font-semibold tracking-tight">{title}</h2>
  </header>{/if}
  {#if secrets}
    <p class="bg-copper-100 px-6 py-2.5 font-semibold text-copper-900 dark:bg-copper-900/60 dark:text-copper-100">The secrets on this card are shown this once: copy or save them now.</p>
  {/if}
  <dl class="divide-y divide-gray-100 dark:divide-gray-800">
    {#each all as fact (fact.key)}
      <div class="grid grid-cols-[9rem_1fr_auto] items-center gap-4 px-6 py-3 max-sm:grid-cols-1">
        <dt class="quiet">{fact.name}</dt>
        <dd class="min-w-0">
          <span class="font-mono font-semibold break-all {fact.secret ? 'text-lg' : ''}" data-test={"told-" + fact.key}>{fact.value}</span>
          {#if fact.note}<span class="quiet block text-sm">{fact.note}</span>{/if}
        </dd>
        <dd><button type="button" class="link text-sm" onclick={() => copy(fact.value, fact.key)} aria-label="Copy {fact.name.toLowerCase()}">{copied === fact.key ? "Copied" : "Copy"}</button></dd>
      </div>
    {/each}
  </dl>
  {#each [link?.mailed, mailed] as letter, i (i)}
    {#if letter}
      <p class="border-t border-gray-100 px-6 py-3 dark:border-gray-800 {letter.sent ? '' : 'font-semibold text-copper-700 dark:text-copper-300'}" data-test="mailed">
        {#if letter.sent}{i === 0 ? "The link" : "How to sign in"} was mailed to {letter.to}.{:else}Not mailed: {letter.reason}.{i === 0 ? " Pass the link on yourself." : ""}{/if}
      </p>
    {/if}
  {/each}
  <footer class="flex flex-wrap gap-2 border-t border-gray-200 px-6 py-4 dark:border-gray-700">
    <QuietButton size="sm" onclick={() => copy(all.map((f) => `${f.name}: ${f.value}`).join("\n"), "all")}>{copied === "all" ? "Copied" : "Copy all"}</QuietButton>
    <QuietButton size="sm" onclick={() => keep("text/csv", ".csv", csv([all.map((f) => f.key), all.map((f) => f.value)]))}>Save as CSV</QuietButton>
    <QuietButton size="sm" onclick={() => keep("application/json", ".json", JSON.stringify(Object.fromEntries(all.map((f) => [f.key, f.value])), null, 2))}>Save as JSON</QuietButton>
  </footer>
</section>
