<!-- Small charts of an organisation: who still comes in, how much privileged access there is, who is refused. Each leads to its list. -->
<script lang="ts">
  import { scaleBand, scaleLinear } from "d3-scale";
  import { area, curveStepAfter, line } from "d3-shape";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { spans } from "../lib/lists";
  import { session } from "../lib/session.svelte";
  import { count, dayOfYear, thousands } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";

  let trends = $state.raw<Schemas["Trends"] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  function load() {
    ask(api.GET("/organisations/{organisation}/trends", { params: { path: { organisation: session.organisation } } })).then(
      (found) => ([trends, problem] = [found, null]),
      (caught) => (problem = asProblem(caught)),
    );
  }
  $effect(() => load());

  const [wide, high] = [320, 72]; // of the drawings, which are stretched to their cards
  const top = (values: number[]) => Math.max(1, ...values);
  const across = $derived(scaleBand<number>().domain((trends?.days ?? []).map((_, i) => i)).range([0, wide]).padding(0.2));
  const up = (values: number[]) => scaleLinear().domain([0, top(values)]).range([high, 2]);

  const privileged = $derived.by(() => {
    const values = trends?.privileged ?? [];
    const [y, x] = [up(values), scaleLinear().domain([0, Math.max(1, values.length - 1)]).range([0, wide])];
    return {
      values, now: values.at(-1) ?? 0, then: values[0] ?? 0,
      line: line<number>().x((_, i) => x(i)).y((v) => y(v)).curve(curveStepAfter)(values) ?? "",
      area: area<number>().x((_, i) => x(i)).y0(high).y1((v) => y(v)).curve(curveStepAfter)(values) ?? "",
    };
  });
  const refused = $derived({ values: trends?.refused ?? [], y: up(trends?.refused ?? []), all: (trends?.refused ?? []).reduce((sum, v) => sum + v, 0) });
  const people = $derived({ list: trends?.people ?? [], most: top((trends?.people ?? []).map((p) => p.count)) });
  const wordOf = (ago: string) => spans.find((s) => s.value === ago)?.word ?? ago;
</script>

{#snippet axis(days: string[])}
  <p class="quiet flex justify-between border-t border-gray-300 pt-0.5 text-xs dark:border-gray-700"><span>{dayOfYear(days[0] ?? "")}</span><span>today</span></p>
{/snippet}

{#if problem}
  <ProblemNote {problem} />
{:else if trends && (trends.people || trends.privileged || trends.refused)}
  {@const { days } = trends}
  <div class="mb-6 grid grid-cols-3 gap-4 max-lg:grid-cols-1" data-test="trends">
    {#if trends.people}
      <section class="card px-5 py-4" aria-labelledby="trend-people">
        <h3 id="trend-people" class="mb-1 font-semibold">Last sign-in</h3>
        <ul>
          {#each people.list as p (p.ago)}
            <li>
              <a class="grid grid-cols-[9.5rem_1fr_3rem] items-center gap-2 text-sm hover:underline" href="#/people?{new URLSearchParams({ lastSignIn: p.ago, state: 'active' })}">
                <span class="quiet">{wordOf(p.ago)}</span>
                <span class="h-2.5 rounded-sm {p.ago === 'never' || p.ago === 'longer' ? 'bg-copper-600 dark:bg-copper-300' : 'bg-primary-500'}" style="width: {(100 * p.count) / people.most}%"></span>
                <span class="text-right tabular-nums">{thousands(p.count)}</span>
              </a>
            </li>
          {/each}
        </ul>
      </section>
    {/if}
    {#if trends.privileged}
      <section class="card px-5 py-4" aria-labelledby="trend-privileged">
        <h3 id="trend-privileged" class="font-semibold">Privileged grants</h3>
        <p class="quiet mb-1 text-sm">{privileged.now} now, {privileged.then === privileged.now ? "as many as" : privileged.then || "none"} 30 days ago</p>
        <svg viewBox="0 0 {wide} {high}" preserveAspectRatio="none" class="block h-18 w-full" role="img" aria-label="Grants of privileged roles by day: {privileged.then} 30 days ago, {privileged.now} now">
          <path d={privileged.area} class="fill-copper-100 dark:fill-copper-900" />
          <path d={privileged.line} class="fill-none stroke-copper-600 dark:stroke-copper-300" stroke-width="2" vector-effect="non-scaling-stroke" />
        </svg>
        {@render axis(days)}
      </section>
    {/if}
    {#if trends.refused}
      <section class="card px-5 py-4" aria-labelledby="trend-refused">
        <h3 id="trend-refused" class="font-semibold">Refusals by day</h3>
        <p class="quiet mb-1 text-sm"><a class="link" href="#/changes?{new URLSearchParams({ event: 'refused', from: days[0] ?? '' })}">{count(refused.all, "refusal")}</a> in 30 days</p>
        <svg viewBox="0 0 {wide} {high}" preserveAspectRatio="none" class="block h-18 w-full" role="img" aria-label="Refusals by day, {refused.all} in 30 days">
          {#each refused.values as v, i (i)}
            <rect x={across(i)} width={across.bandwidth()} y={refused.y(v)} height={high - refused.y(v)} class={v > 0 ? "fill-primary-500" : "fill-none"}><title>{dayOfYear(days[i] ?? "")}: {count(v, "refusal")}</title></rect>
          {/each}
        </svg>
        {@render axis(days)}
      </section>
    {/if}
  </div>
{/if}
