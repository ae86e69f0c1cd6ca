<!-- What is demanded of how people come in and for how long. What is left empty is not demanded. -->
<script lang="ts">
  import { Checkbox } from "flowbite-svelte";
  import type { Problem, Schemas } from "../lib/api";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import WordsLine from "./WordsLine.svelte";

  type Demands = Schemas["Demands"];
  type Factor = Schemas["Factor"];
  let { demands = $bindable(), level, legend, problem }: { demands: Demands | undefined; level: "everybody" | "governing"; legend: string; problem: Problem | null } = $props();

  // Nothing demanded is told by leaving it out.
  function set(some: Demands) {
    const kept = Object.entries({ ...demands, ...some }).filter(([, value]) => value && (!Array.isArray(value) || value.length > 0));
    demands = kept.length > 0 ? Object.fromEntries(kept) : undefined;
  }

  const factors: { name: Factor; words: string }[] = [
    { name: "code", words: "One-time codes beside the password" },
    { name: "passkey", words: "Passkeys in place of the password" },
  ];
  function letIn(by: Factor, on: boolean) {
    const others = (demands?.factors ?? []).filter((f) => f !== by);
    set({ factors: on ? [...others, by] : others });
  }
</script>

<fieldset class="space-y-4 border-t border-gray-200 pt-4 dark:border-gray-700">
  <legend class="label float-left mb-2 w-full">{legend}</legend>
  <div class="clear-both" role="group" aria-label="How they sign in">
    <div class="flex flex-wrap gap-x-6 gap-y-2">
      {#each factors as { name, words } (name)}
        <Checkbox name="{level}-{name}" bind:checked={() => demands?.factors?.includes(name) ?? false, (on) => letIn(name, on)}>{words}</Checkbox>
      {/each}
    </div>
    <p class="quiet mt-1 text-sm">{level === "everybody" ? "They need one of these to sign in; if none is ticked, a password alone will do." : "If none is ticked, as for everybody."}</p>
  </div>
  <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
    <Field label="Minutes until an unused session ends" name="{level}.idle" hint={level === "everybody" ? "120 if empty" : "If empty, as for everybody"}>
      {#snippet children(id)}<input {id} name="{level}-idle" type="number" min="5" max="1440" bind:value={() => demands?.idle ?? null, (n) => set({ idle: n ?? 0 })} class="w-28 field" />{/snippet}
    </Field>
    <Field label="Minutes until any session ends" name="{level}.life" hint={level === "everybody" ? "720 if empty" : "If empty, as for everybody"}>
      {#snippet children(id)}<input {id} name="{level}-life" type="number" min="5" max="10080" bind:value={() => demands?.life ?? null, (n) => set({ life: n ?? 0 })} class="w-28 field" />{/snippet}
    </Field>
  </div>
  <Field label="Networks that people work from" name="{level}.networks" hint={level === "everybody" ? "Separated by spaces. Leave it empty to let them work from anywhere." : "They work only from where both lists let them."}>
    {#snippet children(id)}<WordsLine {id} name="{level}-networks" words={demands?.networks ?? []} onchange={(networks) => set({ networks })} placeholder="192.0.2.0/24" />{/snippet}
  </Field>
  {#if problem?.field === `settings.${level}`}<ProblemNote {problem} />{/if}
</fieldset>
