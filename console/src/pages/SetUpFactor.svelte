<!-- Before anything else: by which second factor or passkey somebody has to come in, and setting it up. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { FingerprintOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, signOut, type Problem } from "../lib/api";
  import * as passkey from "../lib/passkey";
  import { Reading } from "../lib/reading.svelte";
  import { session } from "../lib/session.svelte";
  import FactorForm from "../parts/FactorForm.svelte";
  import PasskeyForm from "../parts/PasskeyForm.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import AuthLayout from "../parts/AuthLayout.svelte";

  const has = new Reading(async () => {
    const [factor, keys] = await Promise.all([ask(api.GET("/profile/second-factor")), ask(api.GET("/profile/passkeys"))]);
    return { code: factor.inUse, passkey: keys.passkeys.length > 0 };
  });
  const wanted = $derived(session.me?.wantedFactors ?? []);
  const byCode = $derived(wanted.includes("code"));
  const byPasskey = $derived(wanted.includes("passkey"));
  const what = $derived([byCode && "a second factor", byPasskey && "a passkey"].filter(Boolean).join(" or "));
  const toShow = $derived(has.value?.passkey && session.me?.factor !== "passkey");
  const known = $derived(toShow || (byCode && has.value?.code));
  let problem = $state.raw<Problem | null>(null);

  async function goOn() {
    session.begin(await ask(api.GET("/session")));
  }

  async function show() {
    problem = null;
    try {
      await passkey.prove();
      await goOn();
    } catch (caught) {
      if (!passkey.wasLeft(caught)) problem = asProblem(caught);
    }
  }
</script>

<svelte:head><title>{known ? "Come in by" : "Set up"} {what} · Arbora</title></svelte:head>

<AuthLayout>
  {#if has.problem}<ProblemNote problem={has.problem} />{/if}
  {#if has.value}
    <h1 class="text-2xl font-semibold tracking-tight">{known ? "One more thing" : `Set up ${what}`}</h1>
    <p class="quiet mt-2 mb-6">{session.organisation} demands {what} of {session.me?.name}. Nothing else opens before.</p>
    {#if toShow}
      <p class="mb-4">You have a passkey. {byPasskey ? "Show it to go on." : "Show it, and set up one-time codes then."}</p>
      {#if passkey.supported()}
        <Button onclick={show}><FingerprintOutline class="me-2 h-4 w-4" />Show my passkey</Button>
      {:else}
        <p>This browser has none: sign in with the one that has it. If you lost it, ask an administrator to remove it.</p>
      {/if}
    {:else if byCode && has.value.code}
      <p>You have a second factor. Sign out, and sign in with your password and a code of it.</p>
    {:else}
      {#if byCode}<FactorForm ondone={goOn} />{/if}
      {#if byCode && byPasskey}<p class="quiet my-6">or</p>{/if}
      {#if byPasskey}<PasskeyForm ondone={goOn} />{/if}
    {/if}
    {#if problem}<div class="mt-4"><ProblemNote {problem} /></div>{/if}
  {/if}
  <p class="quiet mt-6 text-sm">Not now? <button type="button" class="link" onclick={signOut}>Sign out</button></p>
</AuthLayout>
