<script lang="ts">
  import { onMount, untrack } from "svelte";
  import { router } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem } from "./lib/api";
  import { leaving } from "./lib/leaving.svelte";
  import { live, organisationNow } from "./lib/live.svelte";
  import { outcome } from "./lib/outside.svelte";
  import { service } from "./lib/service.svelte";
  import { session } from "./lib/session.svelte";
  import { tree } from "./lib/tree.svelte";
  import { viewing } from "./lib/viewing.svelte";
  import ChoosePassword from "./pages/ChoosePassword.svelte";
  import Pages from "./pages/Pages.svelte";
  import LinkPage from "./pages/LinkPage.svelte";
  import SetUpFactor from "./pages/SetUpFactor.svelte";
  import SignIn from "./pages/SignIn.svelte";
  import Icons from "./parts/Icons.svelte";
  import ProblemNote from "./parts/ProblemNote.svelte";
  import LeaveDialog from "./parts/LeaveDialog.svelte";
  import ProofDialog from "./parts/ProofDialog.svelte";
  import SignInAgain from "./parts/SignInAgain.svelte";

  let problem = $state<Problem | null>(null);

  let refused = $state(""); // why somebody who came back from an identity provider was not let in

  async function begin() {
    refused = (await outcome(router.querystring ?? "")) || refused;
    try {
      session.begin(await ask(api.GET("/session")));
      problem = null;
    } catch (caught) {
      const p = asProblem(caught);
      // Not signed in, and not set up, are told by the sign-in page.
      if (p.status === 401 || p.status === 409) session.end();
      else problem = p;
    }
  }
  onMount(begin);

  $effect(() => {
    if (service.returned > 0 && !untrack(() => session.known)) untrack(begin);
  });

  // A link from a letter opens before anybody is signed in.
  const link = $derived(/^\/link\/(.+)$/.exec(router.location)?.[1]);

  $effect(() => live.follow(organisationNow()));

  // Before the pages are made anew: none may find what was fetched for somebody else.
  $effect.pre(() => {
    void viewing.as;
    tree.clear();
  });

  $effect(() => {
    if (session.me || !session.known) return;
    tree.clear();
    viewing.forget(); // whoever signs in next looks as themselves
  });
</script>

<Icons />
{#if service.down}
  <div role="status" data-test="down" class="flex items-center justify-center gap-4 bg-copper-200 px-5 py-2 font-semibold text-copper-900">
    <span>The service does not answer. Arbora keeps trying.</span>
    <button type="button" class="rounded border border-copper-700 px-3 py-0.5 hover:bg-copper-100" onclick={() => service.retry()}>Try again now</button>
  </div>
{/if}
{#if refused && session.me}
  <div role="alert" data-test="refused" class="flex items-center justify-center gap-4 bg-copper-200 px-5 py-2 font-semibold text-copper-900">
    <span>{refused}</span>
    <button type="button" class="rounded border border-copper-700 px-3 py-0.5 hover:bg-copper-100" onclick={() => (refused = "")}>Close</button>
  </div>
{/if}
{#if problem}
  <main class="mx-auto max-w-xl p-8"><ProblemNote {problem} /></main>
{:else if !session.known}
  <div class="h-14 border-b border-gray-200 bg-white dark:border-gray-700 dark:bg-gray-900"></div>
{:else if !session.me && link}
  {#key link}<LinkPage params={{ token: link }} />{/key}
{:else if !session.me}
  <SignIn {refused} />
{:else if session.me.choosePassword}
  <ChoosePassword />
{:else if session.me.wantedFactors.length > 0}
  <SetUpFactor />
{:else}
  {#key viewing.as}<Pages />{/key}
{/if}
{#if session.me}<ProofDialog />{/if}
{#if leaving.to}<LeaveDialog />{/if}
{#if session.me && session.lapsed}<SignInAgain />{/if}
