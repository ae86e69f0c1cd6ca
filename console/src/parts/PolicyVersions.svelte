<!-- What was written of a policy before: each version held against the text as it stands in the editor, line by line. -->
<script lang="ts">
  import { diffLines } from "diff";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { moment } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import Skeleton from "./Skeleton.svelte";

  let { policy, text, ontake }: { policy: Schemas["Policy"]; text: string; ontake?: (text: string) => void } = $props();

  let versions = $state.raw<Schemas["PolicyVersion"][] | null>(null);
  let later = $state<string | undefined>();
  let chosen = $state(0); // the revision of the version that is compared; 0 for none
  let against = $state(0); // the revision of the version that it is compared with; 0 for the text in the editor
  let problem = $state.raw<Problem | null>(null);

  async function load(from?: string) {
    try {
      const page = await ask(api.GET("/policies/{policy}/versions", { params: { path: { policy: policy.id }, query: { after: from, limit: 10 } } }));
      versions = [...(from ? (versions ?? []) : []), ...page.versions];
      later = page.next;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    void policy.writtenAt; // after it was saved there is one more
    load();
  });

  const version = $derived(versions?.find((v) => v.revision === chosen));
  const lines = $derived.by(() => {
    if (!version) return [];
    const other = versions?.find((v) => v.revision === against)?.text ?? text;
    return diffLines(version.text, other.endsWith("\n") || other === "" ? other : other + "\n").flatMap((part) => part.value.replace(/\n$/, "").split("\n").map((line) => ({ line, mark: part.added ? "+" : part.removed ? "−" : "" })));
  });
</script>

<section aria-labelledby="versions-heading" class="mt-7" data-test="versions">
  <h2 id="versions-heading" class="mb-2 text-lg font-semibold">Versions</h2>
  {#if problem}
    <ProblemNote {problem} />
  {:else if !versions}
    <Skeleton rows={2} />
  {:else}
    <ol class="card overflow-hidden">
      {#each versions as v, i (v.revision)}
        <li class="border-b border-gray-100 last:border-0 dark:border-gray-800">
          <button type="button" aria-expanded={chosen === v.revision} onclick={() => (chosen = chosen === v.revision ? 0 : v.revision)} class="flex w-full flex-wrap items-baseline gap-x-4 px-4 py-2.5 text-left hover:bg-gray-50 dark:hover:bg-gray-800">
            <span class="font-semibold">{moment(v.writtenAt)}</span>
            <span>{v.writtenBy}</span>
            <span class="quiet ml-auto text-sm" title="revision {v.revision} of the organisation">version {v.number}{i === 0 ? ", the present text" : ""}</span>
          </button>
          {#if chosen === v.revision}
            <div class="border-t border-gray-100 px-4 py-3 dark:border-gray-800" data-test="compared">
              {#if versions.length > 1}
                <label class="mb-3 flex items-center gap-2 text-sm">Compared with
                  <select name="compared-with" bind:value={against} class="field py-1">
                    <option value={0}>the text in the editor</option>
                    {#each versions.filter((o) => o.revision !== v.revision) as o (o.revision)}<option value={o.revision}>version {o.number}</option>{/each}
                  </select>
                </label>
              {/if}
              {#if lines.every((l) => l.mark === "")}
                <p class="quiet">The two texts are the same.</p>
              {:else}
                <p class="quiet mb-2 text-sm"><span class="font-mono font-semibold">−</span> removed since, <span class="font-mono font-semibold">+</span> added since</p>
                <ol class="overflow-x-auto rounded-lg border border-gray-200 py-1 font-mono text-[0.88em] dark:border-gray-700">
                  {#each lines as l, n (n)}
                    <li class="flex px-3 py-0.5 whitespace-pre {l.mark === '+' ? 'bg-primary-100 dark:bg-primary-900' : l.mark === '−' ? 'bg-copper-100 dark:bg-copper-900/60' : ''}">
                      <span class="w-5 shrink-0 font-semibold">{l.mark}</span><span>{l.line || " "}</span>
                    </li>
                  {/each}
                </ol>
              {/if}
              {#if ontake && version && i > 0}<div class="mt-3"><QuietButton size="sm" onclick={() => ontake(version.text)}>Put this text into the editor</QuietButton></div>{/if}
            </div>
          {/if}
        </li>
      {/each}
    </ol>
    {#if later}<button type="button" class="link mt-2 text-sm" onclick={() => load(later)}>Earlier ones</button>{/if}
  {/if}
</section>
