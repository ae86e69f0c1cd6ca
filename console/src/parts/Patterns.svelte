<!-- Ready-made statements: choose one, fill its blanks, and take the text into the policy. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { QueryParam } from "../lib/queryparam.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import TextInput from "./TextInput.svelte";

  let { at, ontake }: { at: string; ontake: (text: string) => void } = $props();

  let patterns = $state.raw<Schemas["Pattern"][]>([]);
  let chosen = $state.raw<Schemas["Pattern"] | null>(null);
  let values = $state<Record<string, string>>({});
  const words = new QueryParam("about");
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    ask(api.GET("/patterns", { params: { query: { words: words.value.trim() } } })).then(
      (list) => (patterns = list.patterns),
      (caught) => (problem = asProblem(caught)),
    );
  });

  function choose(pattern: Schemas["Pattern"]) {
    chosen = chosen === pattern ? null : pattern;
    values = Object.fromEntries(pattern.blanks.map((b) => [b.name, b.usual ?? ""]));
    problem = null;
  }

  async function fill(event: Event) {
    event.preventDefault();
    if (!chosen) return;
    try {
      const reading = await ask(api.POST("/scopes/{scope}/patterns/{pattern}", { params: { path: { scope: at, pattern: chosen.name } }, body: { values } }));
      ontake(reading.text);
      [chosen, problem] = [null, null];
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
</script>

<section aria-labelledby="patterns-heading" data-test="patterns">
  <h2 id="patterns-heading" class="mb-2 text-lg font-semibold">Patterns</h2>
  <div class="mb-2"><TextInput type="search" bind:value={words.value} placeholder="Find a pattern" aria-label="Find a pattern" /></div>
  <ul class="card">
    {#each patterns as pattern (pattern.name)}
      <li class="border-b border-gray-100 last:border-0 dark:border-gray-800">
        <button type="button" class="w-full px-4 py-2 text-left hover:bg-gray-50 dark:hover:bg-gray-800" aria-expanded={chosen === pattern} onclick={() => choose(pattern)}>{pattern.title}</button>
        {#if chosen === pattern}
          <form onsubmit={fill} class="space-y-2 px-4 pb-3">
            <p class="quiet text-sm">{pattern.description}</p>
            {#each pattern.blanks as blank (blank.name)}
              <label class="block text-sm">
                <span class="label">{blank.asks}</span>
                <TextInput bind:value={values[blank.name]} placeholder={blank.kind === "subject" ? "staff" : blank.kind === "place" ? "here" : blank.kind === "instant" ? "2027-03-31" : ""} />
              </label>
            {/each}
            {#if problem}<ProblemNote {problem} />{/if}
            <Button type="submit" size="sm">Put it into the text</Button>
          </form>
        {/if}
      </li>
    {:else}
      <li class="quiet px-4 py-2">No pattern matches.</li>
    {/each}
  </ul>
</section>
