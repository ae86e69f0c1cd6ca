<!-- A change that is reviewed before it is made: what it does in words, its impact, and the button that makes it. -->
<script lang="ts">
  import { Modal } from "flowbite-svelte";
  import type { Snippet } from "svelte";
  import { asProblem, type Problem, type Schemas } from "../lib/api";
  import { asking, typing } from "../lib/asking";
  import ActButton from "./ActButton.svelte";
  import ImpactNote from "./ImpactNote.svelte";
  import KeptNotice from "./KeptNotice.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";

  type Keeping = { restored: boolean; startOver(): void; drop(): void };
  type Impact = Schemas["Impact"] | null;
  let {
    open = $bindable(false), title, action, preview, asks, kept, make, ready = true, waits = false, size = "sm", children,
  }: { open?: boolean; title: string; action: string; preview?: () => Promise<Impact>; asks?: () => unknown; kept?: Keeping; make: (impact: Impact) => Promise<void>; ready?: boolean; waits?: boolean; size?: "sm" | "md"; children: Snippet<[Problem | null]> } = $props();

  let impact = $state.raw<Impact>(null);
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);

  // Before it is ready, nothing is previewed; while it waits, nothing is made.
  // Worked out anew whenever what preview depends on changes; an answer that comes too late is left aside. Where somebody types what
  // it depends on, that is what asks tells, and they have paused before it is asked.
  $effect(() => {
    if (!open || !ready || !preview) return;
    impact = problem = null;
    asks?.();
    return asking(preview, (found) => (impact = found), (caught) => (problem = caught), asks ? typing : 0);
  });

  // What was written is thrown away on purpose only; a press outside or Escape leaves it for the next time.
  function cancel() {
    kept?.drop();
    open = false;
  }

  async function submit(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      await make(impact);
      kept?.drop();
      open = false;
    } catch (caught) {
      problem = asProblem(caught);
      impact = problem.impact ?? impact;
    } finally {
      busy = false;
    }
  }
</script>

<Modal bind:open {size} {title} outsideclose>
  <form onsubmit={submit} class="space-y-4">
    {#if kept}<KeptNotice {kept} />{/if}
    {@render children(problem)}
    {#if impact}<ImpactNote {impact} />{/if}
    {#if problem && !problem.field}<ProblemNote {problem} />{/if}
    <div class="dialog-foot">
      <QuietButton type="button" onclick={cancel}>Cancel</QuietButton>
      <ActButton type="submit" {action} {impact} disabled={busy || !ready || waits} data-test="confirm-change" />
    </div>
  </form>
</Modal>
