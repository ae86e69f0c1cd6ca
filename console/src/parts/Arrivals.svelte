<!-- Who came by an identity provider last, and who was not let in and why. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";
  import { href, moment } from "../lib/words";

  let { arrivals }: { arrivals: Schemas["Arrival"][] } = $props();

  // called tells the display name that came with somebody who is not known here.
  const called = (a: Schemas["Arrival"]) => (!a.name && typeof a.claims?.["name"] === "string" ? `${a.claims["name"]}, ` : "");

  const first = 8;
  let all = $state(false);
  let open = $state(""); // the arrival whose claims are shown
</script>

<section class="mb-7" data-test="arrivals" aria-label="Who came">
  <h2 class="mb-2 text-lg font-semibold">Who came</h2>
  {#if arrivals.length === 0}
    <p class="quiet">Nobody has come by it yet.</p>
  {:else}
    <div class="card overflow-x-auto">
      <table class="w-full">
        <thead><tr class="quiet border-b border-gray-200 text-left text-sm dark:border-gray-700"><th class="px-5 py-2 font-normal">When</th><th class="px-3 py-2 font-normal">Who</th><th class="px-3 py-2 font-normal">Outcome</th><th class="px-5 py-2 font-normal">Claims</th></tr></thead>
        <tbody>
          {#each all ? arrivals : arrivals.slice(0, first) as a (a.id)}
            <tr class="border-b border-gray-100 align-top last:border-0 dark:border-gray-800">
              <td class="px-5 py-2 whitespace-nowrap">{moment(a.at)}</td>
              <td class="px-3 py-2">{#if a.name}<a class="link" href={href.principal({ kind: "outside-person", name: a.name })}>{a.name}</a>{:else}{a.subject || "somebody"}{/if}<span class="quiet block text-sm">{called(a)}from {a.from}</span></td>
              <td class="px-3 py-2">{#if a.refused}<span class="font-semibold text-copper-700 dark:text-copper-300">{a.trial ? "Trial: would be refused" : "Refused"}</span><span class="block text-sm">{a.refused}</span>{:else if a.trial}Trial{:else}Came in{/if}</td>
              <td class="px-5 py-2">{#if a.claims}<button type="button" class="link" aria-expanded={open === a.id} onclick={() => (open = open === a.id ? "" : a.id)}>{open === a.id ? "Hide" : "Show"}</button>{/if}</td>
            </tr>
            {#if open === a.id}<tr><td colspan="4" class="px-5 pb-3"><pre class="overflow-x-auto rounded-lg bg-gray-100 px-4 py-3 text-sm dark:bg-gray-800" data-test="claims">{JSON.stringify(a.claims, null, 2)}</pre></td></tr>{/if}
          {/each}
        </tbody>
      </table>
    </div>
    {#if arrivals.length > first}<button type="button" class="link mt-2" aria-expanded={all} onclick={() => (all = !all)}>{all ? "Show fewer" : `Show all ${arrivals.length}`}</button>{/if}
  {/if}
</section>
