<!-- What a new organisation needs, in order, each with the way to it; gone once all of it is there. -->
<script lang="ts">
  import { CheckOutline } from "flowbite-svelte-icons";
  import { api, ask } from "../lib/api";
  import { groups, users } from "../lib/directory";
  import { session } from "../lib/session.svelte";
  import { tree } from "../lib/tree.svelte";
  import { href } from "../lib/words";

  type Step = { does: string; why: string; to: string; done: boolean };
  let steps = $state.raw<Step[]>([]);

  async function look() {
    const top = session.organisation;
    if (tree.nodes.length === 0) await tree.load();
    const [people, teams, grants] = await Promise.all([
      users(top), groups(top), ask(api.GET("/scopes/{scope}/grants", { params: { path: { scope: top }, query: { below: true, limit: 100 } } })),
    ]);
    const inTeam = teams.find((team) => team.members > 0);
    const place = tree.nodes.find((node) => node.kind !== "organisation");
    steps = [
      { does: "Create a folder or a project", why: "Access that is granted at a folder holds for all that is below it, now and later.", to: href.scope(top), done: place !== undefined },
      { does: "Create the first person", why: "They choose their own password when they first sign in, and hold nothing yet.", to: "#/people/new", done: people.length > 1 },
      { does: "Create a group, and add them", why: "A group outlives the people in it: grant to groups, and add people.", to: "#/groups", done: inTeam !== undefined },
      { does: "Grant the group a role", why: "You see who would gain what, before it is made.", to: href.scope(place?.address ?? top), done: grants.grants.some((grant) => grant.principal.kind === "group") },
      { does: "Try it as they would", why: "Ask whether somebody may do something, and read why.", to: "#/check", done: false },
    ];
  }

  // Who may not see one of the lists has no organisation to set up.
  $effect(() => {
    look().catch(() => (steps = []));
  });

  const open = $derived(steps.slice(0, -1).some((step) => !step.done));
  const next = $derived(steps.findIndex((step) => !step.done));
</script>

{#if open}
  <section class="card mb-6 px-5 py-4" aria-labelledby="first-heading" data-test="first-steps">
    <h2 id="first-heading" class="mb-2 text-lg font-semibold">First steps</h2>
    <ol class="space-y-2">
      {#each steps as step, i (step.does)}
        <li class="flex items-baseline gap-3">
          <span class="flex h-6 w-6 shrink-0 translate-y-1 items-center justify-center rounded-full border text-sm {step.done ? 'border-primary-600 bg-primary-100 dark:bg-primary-900' : 'border-gray-400'}" aria-hidden="true">
            {#if step.done}<CheckOutline class="h-4 w-4" />{:else}{i + 1}{/if}
          </span>
          <span>
            {#if step.done}<span class="quiet line-through">{step.does}</span><span class="sr-only"> done</span>{:else}<a class="link {i === next ? 'font-semibold' : ''}" href={step.to}>{step.does}</a><span class="quiet block text-sm">{step.why}</span>{/if}
          </span>
        </li>
      {/each}
    </ol>
  </section>
{/if}
