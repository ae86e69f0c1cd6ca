<!-- The whole tree, coloured by what somebody may do there. Whom stands in the page's address. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { replace, router } from "svelte-spa-router";
  import { groups, users } from "../lib/directory";
  import { session } from "../lib/session.svelte";
  import Choice from "../parts/Choice.svelte";
  import Page from "../parts/Page.svelte";
  import SpreadPicture from "../parts/SpreadPicture.svelte";

  const asked = $derived(new URLSearchParams(router.querystring ?? ""));
  const kind = $derived(asked.has("group") ? "group" : "user");
  const name = $derived(asked.get(kind) ?? "");
  let wanted = $state("");
  let known = $state.raw<{ value: string; hint?: string }[]>([]);

  $effect(() => {
    wanted = name;
  });
  // Names to choose from are for whoever comes to choose: there may be thousands. Without them, names are written.
  let choosing = $state(false);
  $effect(() => {
    if (!choosing) return;
    const list = kind === "group" ? groups(session.organisation) : users(session.organisation);
    list.then((found) => (known = found.map((p) => ({ value: p.name, hint: p.title }))), () => (known = []));
  });
</script>

<Page wide title="Access map" lead="Every scope that you see, coloured by what somebody may do there.">
  <form
    class="mb-5 flex flex-wrap items-end gap-3"
    onfocusin={() => (choosing = true)}
    onsubmit={(event) => {
      event.preventDefault();
      replace("/spread?" + new URLSearchParams({ [kind]: wanted.trim() }).toString());
    }}
  >
    <div>
      <label class="label" for="spread-kind">Whose access</label>
      <select id="spread-kind" value={kind} onchange={(e) => replace("/spread?" + new URLSearchParams({ [e.currentTarget.value]: "" }).toString())} class="field">
        <option value="user">a user's</option>
        <option value="group">a group's</option>
      </select>
    </div>
    <div class="w-64">
      <label class="label" for="spread-name">Name</label>
      <Choice id="spread-name" name="whose" bind:value={wanted} options={known} />
    </div>
    <Button type="submit" disabled={!wanted.trim()}>Show</Button>
  </form>
  {#if name}
    {#key kind + name}<SpreadPicture {kind} {name} />{/key}
  {:else}
    <p class="quiet">Name somebody, and press Show.</p>
  {/if}
</Page>
