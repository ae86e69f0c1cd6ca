<script lang="ts">
  import { api, ask, signOut } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import FactorForm from "../parts/FactorForm.svelte";
  import Threshold from "../parts/Threshold.svelte";

  async function goOn() {
    session.begin(await ask(api.GET("/session")));
  }
</script>

<svelte:head><title>Set up a second factor · Arbora</title></svelte:head>

<Threshold>
  <h1 class="text-2xl font-semibold tracking-tight">Set up a second factor</h1>
  <p class="quiet mt-2 mb-6">{session.organisation} demands one of whoever may govern. Nothing else opens for {session.me?.name} before.</p>
  <FactorForm ondone={goOn} />
  <p class="quiet mt-6 text-sm">Not now? <button type="button" class="link" onclick={signOut}>Sign out</button></p>
</Threshold>
