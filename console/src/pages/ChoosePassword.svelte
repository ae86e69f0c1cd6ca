<script lang="ts">
  import { signOut } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import PasswordForm from "../parts/PasswordForm.svelte";
  import AuthLayout from "../parts/AuthLayout.svelte";
</script>

<svelte:head><title>Choose your password · Arbora</title></svelte:head>

<AuthLayout>
  <h1 class="text-2xl font-semibold tracking-tight">Choose your own password</h1>
  <p class="quiet mt-2 mb-6">The one you signed in with was temporary. Nothing else opens for {session.me?.name} before you have chosen.</p>
  <PasswordForm currentLabel="Temporary password" />
  <p class="quiet mt-6 text-sm">Not now? <button type="button" class="link" onclick={signOut}>Sign out</button></p>
</AuthLayout>
