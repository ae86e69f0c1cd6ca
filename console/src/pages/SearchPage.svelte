<!-- A search of the whole tree; what is looked for stands in the page's address. -->
<script lang="ts">
  import { replace, router } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type ScopeNode } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import KindIcon from "../parts/KindIcon.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  const kinds = ["", "folder", "project", "compartment", "resource"];
  const asked = $derived(Object.fromEntries(new URLSearchParams(router.querystring ?? "")));

  let text = $state("");
  let tag = $state("");
  let found = $state.raw<ScopeNode[] | null>(null);
  let next = $state.raw<string | undefined>();
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    text = asked.text ?? "";
    tag = asked.tag ?? "";
    if (Object.keys(asked).length > 0) search(asked);
    else found = null;
  });
  whenChanged(() => {
    if (found) search(asked, Math.max(page, found.length));
  }, () => ({ kinds: ["scope"] }));

  const page = 50;

  // search finds as many as are wanted: what the asker does not see was passed over, so that an answer may hold fewer.
  async function search(query: Record<string, string>, wanted = page, after?: string) {
    let all = after ? (found ?? []) : [];
    try {
      do {
        const list = await ask(api.GET("/organisations/{organisation}/search", { params: { path: { organisation: session.organisation }, query: { ...query, after, limit: page } } }));
        all = [...all, ...list.scopes];
        after = list.next;
      } while (after && all.length < wanted);
      found = all;
      next = after;
      problem = null;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  function narrow(key: string, value: string) {
    const query = { ...asked, [key]: value };
    const kept = Object.entries(query).filter(([, v]) => v);
    replace("/search?" + new URLSearchParams(kept).toString());
  }
</script>

<Page title="Search" lead="The whole tree, by name, tag, type, id or address, as far as you see it.">
  <form
    class="mb-5 flex flex-wrap items-end gap-3"
    role="search"
    onsubmit={(event) => {
      event.preventDefault();
      narrow("text", text.trim());
    }}
  >
    <div class="min-w-64 flex-1">
      <label class="label" for="search-text">What you look for</label>
      <TextInput id="search-text" type="search" name="text" bind:value={text} placeholder="The beginning of a name, of a word in it, a tag or a type" />
    </div>
    <div>
      <label class="label" for="search-kind">Kind</label>
      <select id="search-kind" value={asked.kind ?? ""} onchange={(e) => narrow("kind", e.currentTarget.value)} class="field">
        {#each kinds as kind (kind)}<option value={kind}>{kind || "any"}</option>{/each}
      </select>
    </div>
    <div class="w-40">
      <label class="label" for="search-tag">Tag</label>
      <TextInput id="search-tag" name="tag" bind:value={tag} placeholder="key or key=value" onchange={() => narrow("tag", tag.trim())} />
    </div>
    <div>
      <label class="label" for="search-state">State</label>
      <select id="search-state" value={asked.state ?? ""} onchange={(e) => narrow("state", e.currentTarget.value)} class="field">
        {#each ["", "active", "retired"] as state (state)}<option value={state}>{state || "any"}</option>{/each}
      </select>
    </div>
    <QuietButton type="submit">Search</QuietButton>
  </form>
  {#if problem}
    <ProblemNote {problem} />
  {:else if found}
    {#if found.length === 0}
      <p class="card quiet px-5 py-4">Nothing found that you may see.</p>
    {:else}
      <ul class="card" data-test="found">
        {#each found as node (node.id)}
          <li class="border-b border-gray-100 last:border-0 dark:border-gray-800">
            <a href={href.scope(node.address)} class="flex items-center gap-3 px-5 py-2.5 hover:bg-gray-50 dark:hover:bg-gray-800">
              <KindIcon kind={node.kind} type={node.type} class="h-5 w-5" />
              <span class="min-w-0 flex-1">
                <span class="flex flex-wrap items-baseline gap-x-3"><span class="font-semibold">{node.name}</span>{#if node.retired}<span class="text-sm text-copper-700 dark:text-copper-300">retired</span>{/if}<span class="quiet">{node.title}</span></span>
                <span class="address quiet block truncate">{node.address}</span>
              </span>
              {#each Object.entries(node.tags ?? {}) as [key, value] (key)}
                <span class="rounded-full border border-gray-300 px-2.5 py-0.5 text-sm max-sm:hidden dark:border-gray-600"><span class="quiet">{key}</span> {value}</span>
              {/each}
            </a>
          </li>
        {/each}
      </ul>
      {#if next}<QuietButton size="sm" class="mt-3" onclick={() => search(asked, (found?.length ?? 0) + page, next)}>Show more</QuietButton>{/if}
    {/if}
  {:else}
    <p class="quiet">Write part of a name, or narrow by kind, tag or state.</p>
  {/if}
</Page>
