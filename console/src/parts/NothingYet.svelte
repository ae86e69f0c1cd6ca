<script lang="ts">
  import { LockOutline } from "flowbite-svelte-icons";
  import { session } from "../lib/session.svelte";
  import Elsewhere from "./Elsewhere.svelte";
</script>

<svelte:head><title>Nothing yet · Arbora</title></svelte:head>
<main class="mx-auto max-w-xl px-6 py-20 text-center" data-test="nothing-yet">
  <div class="mx-auto mb-5 flex h-16 w-16 items-center justify-center rounded-full bg-primary-100 dark:bg-primary-900">
    <LockOutline class="h-7 w-7 text-primary-700 dark:text-primary-200" />
  </div>
  <h1 class="text-2xl font-semibold tracking-tight">You hold nothing in {session.organisation} yet</h1>
  <p class="quiet mt-3">
    Everything is denied until somebody grants you a role, or puts you into a group that holds one. Ask a steward of
    {session.organisation}, and say what you need to do and where. What you get appears here at once.
  </p>
  <p class="mt-5"><a class="link" href="#/account">Your own account</a> is always yours to see and edit.</p>
  <div class="text-left"><Elsewhere /></div>
</main>
