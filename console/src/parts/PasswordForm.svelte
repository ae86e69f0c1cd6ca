<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem } from "../lib/api";
  import { remembered } from "../lib/remembered";
  import { session } from "../lib/session.svelte";
  import Field from "./Field.svelte";
  import PasswordInput from "./PasswordInput.svelte";
  import ProblemNote from "./ProblemNote.svelte";

  let { currentLabel = "Current password", ondone }: { currentLabel?: string; ondone?: () => void } = $props();

  const least = 15;
  const given = remembered.password !== ""; // a moment ago, to sign in
  let current = $state(remembered.password);
  let chosen = $state("");
  let again = $state("");
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);

  const differs = $derived(again !== "" && again !== chosen);
  const length = $derived([...chosen].length);

  async function choose(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      const me = await ask(api.PUT("/profile/password", { body: { current, new: chosen } }));
      current = chosen = again = remembered.password = "";
      session.begin(me);
      ondone?.();
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }
</script>

<form onsubmit={choose} oninput={() => (problem = null)} class="space-y-5">
  {#if !given || problem?.field === "current"}<Field label={currentLabel} name="current" {problem}>
    {#snippet children(id)}<PasswordInput {id} name="current" bind:value={current} autocomplete="current-password" required />{/snippet}
  </Field>{/if}
  <Field
    label="New password"
    name="new"
    {problem}
    hint={length > 0 && length < least ? `${least - length} more characters` : `At least ${least} characters; four or five unrelated words do well.`}
  >
    {#snippet children(id)}<PasswordInput {id} name="new" bind:value={chosen} autocomplete="new-password" required />{/snippet}
  </Field>
  <Field label="New password once more" name="again" problem={differs ? { type: "", title: "", status: 0, detail: "the two differ", field: "again" } : null}>
    {#snippet children(id)}<PasswordInput {id} name="again" bind:value={again} autocomplete="new-password" required />{/snippet}
  </Field>
  {#if problem && !problem.field}<ProblemNote {problem} />{/if}
  <Button type="submit" disabled={busy || differs || length < least || !again}>Save password</Button>
</form>
