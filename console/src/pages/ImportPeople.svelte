<!-- Makes many users from a CSV file: what is wrong with it stands in its lines, what it does is shown, and all are made or none. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import Papa from "papaparse";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { csv, save } from "../lib/download";
  import { leaving } from "../lib/leaving.svelte";
  import { session } from "../lib/session.svelte";
  import { capital, count } from "../lib/words";
  import ActButton from "../parts/ActButton.svelte";
  import ImpactNote from "../parts/ImpactNote.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";

  type Made = Schemas["UserMade"];
  const columns = ["name", "title", "email", "description", "tags", "groups", "grants", "sign-in-by", "temporary", "link", "notify"];
  const example = $derived([columns, ["linnea", "Linnea Holm", `linnea@${session.organisation}.example`, "Seed technician", "team=seeds", "", `observer at ${session.organisation}`, "password", "yes", "no", "no"]]);
  const linesShown = 200;

  let file = $state.raw<{ name: string; text: string } | null>(null);
  let reading = $state.raw<Schemas["NewcomerReading"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let progress = $state.raw<{ done: number; of: number } | null>(null);
  let made = $state.raw<Made[] | null>(null);
  let kept = $state(false);
  leaving.hold(() => made !== null && !kept && withSecrets(made));

  const path = $derived({ organisation: session.organisation });
  const withSecrets = (users: Made[]) => users.some((m) => m.password || m.link);

  // Each row of the file with the number of the line it begins at, which is what a fault names.
  const rows = $derived.by(() => {
    if (!file) return [];
    const found: { line: number; cells: string[] }[] = [];
    let line = 1;
    let before = 0;
    // Separated as the service takes them to be: by semicolons when the first line has those and no commas.
    const first = file.text.split("\n", 1)[0] ?? "";
    Papa.parse<string[]>(file.text, {
      delimiter: first.includes(";") && !first.includes(",") ? ";" : ",",
      step({ data, meta }) {
        const { text } = file!;
        if (data.some((cell) => cell !== "")) found.push({ line, cells: data });
        line += text.slice(before, meta.cursor).split("\n").length - 1;
        before = meta.cursor;
      },
    });
    return found;
  });
  const head = $derived(rows[0]?.cells ?? []);
  const faultsOf = (line: number, next: number) => reading?.faults.filter((f) => f.line >= line && f.line < next) ?? [];
  const body = $derived(rows.slice(1).map((row, i) => ({ ...row, faults: faultsOf(row.line, rows[i + 2]?.line ?? Infinity) })));
  // The lines with faults come first: nobody looks for the one among a thousand.
  const shown = $derived([...body.filter((row) => row.faults.length > 0), ...body.filter((row) => row.faults.length === 0)].slice(0, linesShown));
  const atTop = $derived(rows[1] ? faultsOf(0, rows[1].line) : (reading?.faults ?? []));

  async function take(field: HTMLInputElement) {
    const [chosen] = field.files ?? [];
    if (!chosen) return;
    [file, reading, problem] = [null, null, null];
    try {
      file = { name: chosen.name, text: await chosen.text() };
      field.value = "";
      const read = await ask(api.POST("/organisations/{organisation}/newcomers", { params: { path, query: { preview: true } }, body: { file: file.text } }));
      if (typeof read === "object" && "faults" in read) reading = read;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function make() {
    if (!file || !reading) return;
    problem = null;
    progress = { done: 0, of: reading.names.length };
    try {
      const stream = (await ask(api.POST("/organisations/{organisation}/newcomers", { params: { path }, body: { file: file.text }, parseAs: "stream" }))) as unknown as ReadableStream<Uint8Array>;
      for await (const line of linesOf(stream)) {
        const told = JSON.parse(line) as Schemas["NewcomerProgress"];
        progress = told;
        if (told.problem) throw told.problem;
        if (told.made) made = told.made;
      }
      if (!made) throw { type: "", title: "", status: 0, detail: "the service's answer broke off", next: "look at the list of people to see whether they were created" } satisfies Problem;
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      progress = null;
    }
  }

  async function* linesOf(stream: ReadableStream<Uint8Array>) {
    const reader = stream.pipeThrough(new TextDecoderStream() as unknown as ReadableWritablePair<string, Uint8Array>).getReader();
    let rest = "";
    for (;;) {
      const { value, done } = await reader.read();
      if (done) break;
      const parts = (rest + value).split("\n");
      rest = parts.pop() ?? "";
      yield* parts.filter(Boolean);
    }
    if (rest.trim()) yield rest;
  }

  function saveMade() {
    save("created-people.csv", "text/csv", csv([["name", "sign-in", "address", "password", "link"], ...made!.map((m) => [m.user.name, m.signIn, m.address, m.password ?? "", m.link?.url ?? ""])]));
    kept = true;
  }

  const meant = (fault: Schemas["Fault"]) => (fault.nearest ? `. Did you mean ${fault.nearest}?` : "");
</script>

{#if made}
  <Page title="Created {count(made.length, 'person', 'people')}" lead="They can sign in now. The passwords are shown nowhere else.">
    {#snippet actions()}<QuietButton size="sm" href="#/people">All people</QuietButton>{/snippet}
    <section class="card max-w-3xl space-y-4 p-5" data-test="imported">
      <p>The file has the sign-in name, the sign-in address and the first password of each{withSecrets(made) && !kept ? ". Save it before you leave: it cannot be made again" : ""}.</p>
      <Button onclick={saveMade}>Save the result file</Button>
      <ul class="columns-3 max-sm:columns-1">{#each made.slice(0, linesShown) as m (m.user.id)}<li>{m.user.title || m.user.name} <span class="quiet">{m.signIn}</span></li>{/each}</ul>
      {#if made.length > linesShown}<p class="quiet">and {made.length - linesShown} more, all of them in the file</p>{/if}
    </section>
  </Page>
{:else}
  <Page wide title="Import people from a file" lead="All of them are created, or nobody. Nothing is written before you confirm.">
    {#snippet actions()}<QuietButton size="sm" onclick={() => save("people.csv", "text/csv", csv(example))}>Save an example file</QuietButton>{/snippet}
    <section class="card mb-5 space-y-3 p-5">
      <!-- The field is emptied once it was read: a file of the same name, corrected, is taken again. -->
      <p class="flex flex-wrap items-center gap-4">
        <label class="cursor-pointer rounded-lg border border-gray-300 px-4 py-2 font-semibold focus-within:outline-2 focus-within:outline-offset-2 focus-within:outline-primary-500 hover:bg-gray-100 dark:border-gray-600 dark:hover:bg-gray-800">
          {file ? "Choose another file" : "Choose a CSV file"}
          <input name="people-file" type="file" accept=".csv,text/csv" class="sr-only" disabled={progress !== null} onchange={(e) => void take(e.currentTarget)} />
        </label>
        {#if file}<span data-test="file">{file.name}</span>{/if}
      </p>
      <p class="quiet text-sm">The first line names the columns: <span class="font-mono">{columns.join(", ")}</span>. Only <span class="font-mono">name</span> must be there. Separate several tags (KEY=VALUE), groups or grants of one person with semicolons. Write a grant as ROLE at ADDRESS, with from or until and a date after it if wanted.</p>
    </section>
    {#if problem}<div class="mb-5"><ProblemNote {problem} /></div>{/if}
    {#if file && reading}
      <section class="mb-5 space-y-4" data-test="reading">
        {#if reading.faults.length > 0}
          <p role="alert" class="font-semibold text-copper-700 dark:text-copper-300">{count(reading.faults.length, "fault")} in {file.name}: correct {reading.faults.length === 1 ? "it" : "them"} in the file, and choose it again. Nobody was created.</p>
        {:else}
          <p><strong>No faults.</strong> {file.name} creates {count(reading.names.length, "person", "people")}.</p>
          {#if reading.impact}<ImpactNote impact={reading.impact} />{/if}
          {#if progress}
            <div role="status" data-test="progress">
              <progress class="w-full max-w-xl" value={progress.done} max={progress.of}></progress>
              <p class="quiet">{progress.done} of {progress.of} created</p>
            </div>
          {:else}
            <ActButton action="Create {count(reading.names.length, 'person', 'people')}" impact={reading.impact ?? null} onclick={make} data-test="confirm-import" />
          {/if}
        {/if}
        {#each atTop as fault (fault.column + fault.detail)}<p class="text-copper-700 dark:text-copper-300">Line {fault.line}: {fault.detail}{meant(fault)}</p>{/each}
        <div class="card overflow-x-auto">
          <table class="rows keeps" data-test="import-lines">
            <thead><tr><th class="text-right!">Line</th>{#each head as name, i (i)}<th>{name}</th>{/each}<th>What is wrong</th></tr></thead>
            <tbody>
              {#each shown as row (row.line)}
                <tr>
                  <td class="quiet text-right tabular-nums">{row.line}</td>
                  {#each head as _, i (i)}<td class="max-w-64 truncate" title={row.cells[i]}>{row.cells[i] ?? ""}</td>{/each}
                  <td class="text-copper-700 dark:text-copper-300">{#each row.faults as fault (fault.column + fault.detail)}<span class="block">{capital(fault.detail)}{meant(fault)}</span>{/each}</td>
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
        {#if body.length > shown.length}<p class="quiet">{body.length - shown.length} more lines without errors.</p>{/if}
      </section>
    {/if}
  </Page>
{/if}
