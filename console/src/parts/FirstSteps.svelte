<!-- What a new organisation needs, in order, each with the way to it; gone once all of it is there. -->
<script lang="ts">
  import { CheckOutline } from "flowbite-svelte-icons";
  import { api, ask } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";

  type Step = { does: string; why: string; to: string; done: boolean };
  let steps = $state.raw<Step[]>([]);

  async function look() {
    const top = session.organisation;
    const [organisation, scope] = [{ organisation: top }, { scope: top }];
    // Of each the first that tells is enough: there may be thousands.
    const [{ people }, { groups }, { scopes }, grants] = await Promise.all([
      ask(api.GET("/organisations/{organisation}/people", { params: { path: organisation, query: { limit: 2 } } })),
      ask(api.GET("/organisations/{organisation}/groups", { params: { path: organisation, query: { sort: "members", descending: true, limit: 1 } } })),
      ask(api.GET("/scopes/{scope}/children", { params: { path: scope, query: { limit: 1 } } })),
      ask(api.GET("/scopes/{scope}/grants", { params: { path: scope, query: { below: true, limit: 100 } } })),
    ]);
    const place = scopes[0];
    steps = [
      { does: "Create a folder or a project", why: "Access that is granted at a folder holds for all that is below it, now and later.", to: href.scope(top), done: place !== undefined },
      { does: "Create the first person", why: "They choose their own password when they first sign in, and hold nothing yet.", to: "#/people/new", done: people.length > 1 },
      { does: "Create a group, and add them", why: "A group outlives the people in it: grant to groups, and add people.", to: "#/groups", done: groups.some((group) => group.members > 0) },
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
