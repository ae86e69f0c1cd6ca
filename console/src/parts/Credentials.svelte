<!-- One's own second factor and passkeys. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { count, moment } from "../lib/words";
  import Term from "./Term.svelte";
  import FactorForm from "./FactorForm.svelte";
  import Field from "./Field.svelte";
  import PasskeyForm from "./PasskeyForm.svelte";
  import PasswordInput from "./PasswordInput.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import TextInput from "./TextInput.svelte";

  let factor = $state.raw<Schemas["SecondFactor"] | null>(null);
  let keys = $state.raw<Schemas["Passkey"][]>([]);
  let problem = $state.raw<Problem | null>(null);
  let removing = $state(false);
  let password = $state("");
  let code = $state("");

  async function load() {
    try {
      [factor, keys] = await Promise.all([ask(api.GET("/profile/second-factor")), ask(api.GET("/profile/passkeys")).then((list) => list.passkeys)]);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });

  async function act(what: () => Promise<unknown>) {
    problem = null;
    try {
      await what();
      await load();
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  const remove = (event: Event) => {
    event.preventDefault();
    return act(async () => {
      await ask(api.POST("/profile/second-factor/removal", { body: { password, code: code.trim() } }));
      removing = false;
      password = code = "";
    });
  };
</script>

<section class="card p-6" data-test="factor">
  <h2 class="mb-3 text-lg font-semibold"><Term word="second factor" shown="Second factor" /></h2>
  {#if factor?.inUse}
    <p>One-time codes stand beside your password. {count(factor.codes, "recovery code")} left.</p>
    {#if removing}
      <form onsubmit={remove} class="mt-4 space-y-3">
        <Field label="Your password" name="password" {problem}>
          {#snippet children(id)}<PasswordInput {id} name="factor-password" bind:value={password} autocomplete="current-password" required />{/snippet}
        </Field>
        <Field label="A code of your device, or a recovery code" name="code" {problem}>
          {#snippet children(id)}<TextInput {id} name="factor-code" bind:value={code} autocomplete="one-time-code" required />{/snippet}
        </Field>
        <div class="flex gap-2"><Button type="submit">Remove it</Button><QuietButton type="button" onclick={() => (removing = false)}>Keep it</QuietButton></div>
      </form>
    {:else}
      <button type="button" class="link mt-3" onclick={() => (removing = true)}>Remove it</button>
    {/if}
  {:else if factor}
    <p class="mb-4">{factor.required ? "Your organisation requires one." : "One-time codes from a program on your own device, beside your password."}</p>
    <FactorForm ondone={load} />
  {/if}
</section>
<section class="card p-6" data-test="passkeys">
  <h2 class="mb-3 text-lg font-semibold"><Term word="passkey" shown="Passkeys" /></h2>
  <p class="mb-3">A passkey signs you in without a password: your device checks that it is you.</p>
  {#if keys.length > 0}
    <ul class="mb-4 divide-y divide-gray-100 rounded-lg border border-gray-200 dark:divide-gray-800 dark:border-gray-700">
      {#each keys as key (key.id)}
        <li class="flex items-center gap-3 px-3 py-2">
          <strong>{key.label}</strong> <span class="quiet text-sm">since {moment(key.createdAt)}{key.lastUsedAt ? `, last used ${moment(key.lastUsedAt)}` : ""}</span>
          <button type="button" class="link ml-auto text-sm" onclick={() => act(() => ask(api.DELETE("/profile/passkeys/{passkey}", { params: { path: { passkey: key.id } } })))} aria-label="Remove passkey {key.label}">Remove</button>
        </li>
      {/each}
    </ul>
  {/if}
  <PasskeyForm ondone={load} />
  {#if problem && !problem.field}<div class="mt-4"><ProblemNote {problem} /></div>{/if}
</section>
