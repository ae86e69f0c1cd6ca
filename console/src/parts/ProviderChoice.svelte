<!-- Signing in by the identity provider of one's own organisation: first where one wants to work, then by which provider. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { router } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { focus } from "../lib/focus";
  import { signInAt } from "../lib/outside.svelte";
  import { remembered } from "../lib/remembered";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import TextInput from "./TextInput.svelte";

  let organisation = $state(remembered.organisation);
  let ways = $state.raw<Schemas["Way"][] | null>(null);
  let asked = $state(""); // the organisation that ways are of
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);

  async function find(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      const name = organisation.trim();
      ways = (await ask(api.GET("/sign-in/ways", { params: { query: { organisation: name } } }))).ways;
      asked = name;
      if (ways.length > 0) remembered.organisation = name;
      if (ways.length === 1) location.assign(signInAt(name, ways[0]!.provider, router.location));
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }
</script>

<form onsubmit={find} class="space-y-5" data-test="provider-choice">
  <p>You sign in where your own organisation has you sign in, and come back here.</p>
  <Field label="Where you want to work" name="organisation" {problem} hint="The name of the organisation here that lets you in, such as lindenmere">
    {#snippet children(id)}<TextInput {id} name="organisation" {@attach focus} bind:value={organisation} autocapitalize="none" required />{/snippet}
  </Field>
  {#if problem && !problem.field}<ProblemNote {problem} />{/if}
  {#if ways && ways.length === 0}
    <p role="status" class="font-semibold">Nobody signs in to {asked} by an identity provider. Look at the name, or ask an administrator there.</p>
  {/if}
  {#if ways && ways.length > 1}
    <ul class="space-y-2">
      {#each ways as way (way.provider)}
        <li><a class="block rounded-lg border border-gray-300 px-4 py-2.5 font-semibold hover:border-primary-600 dark:border-gray-600" href={signInAt(asked, way.provider, router.location)}>{way.title}<span class="quiet block text-sm font-normal">{way.provider}</span></a></li>
      {/each}
    </ul>
  {:else}
    <Button type="submit" class="w-full" disabled={busy || !organisation.trim()}>Go on</Button>
  {/if}
</form>
