<!-- What stands before the console: a form beside a drawing of what Arbora does. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import Mark from "./Mark.svelte";

  let { children }: { children: Snippet } = $props();
</script>

<div class="grid min-h-screen grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] max-md:grid-cols-1">
  <main class="flex flex-col justify-center px-12 py-10 max-sm:px-6">
    <div class="mx-auto w-full max-w-sm">
      <div class="mb-10 flex items-center gap-3">
        <Mark size="h-11 w-11" />
        <span class="text-2xl font-semibold tracking-tight">Arbora</span>
      </div>
      {@render children()}
    </div>
  </main>
  <div class="flex flex-col justify-center bg-primary-800 px-14 text-primary-50 max-md:hidden dark:bg-primary-950">
    <svg viewBox="0 0 420 250" class="mb-8 w-full max-w-lg" aria-hidden="true" fill="none" stroke-linecap="round">
      <g class="stroke-primary-500" stroke-width="3">
        <path d="M40 125H110" /><path d="M110 125C150 125 150 60 190 60H250" /><path d="M110 125C150 125 150 190 190 190H250" />
        <path d="M250 190C285 190 285 160 320 160H380" /><path d="M250 190C285 190 285 222 320 222H380" />
      </g>
      <g class="stroke-copper-300" stroke-width="4">
        <path d="M110 125C150 125 150 60 190 60H250" /><path d="M250 60C285 60 285 28 320 28H380" /><path d="M250 60C285 60 285 92 320 92H380" />
      </g>
      <g class="fill-primary-300"><circle cx="40" cy="125" r="9" /><circle cx="250" cy="190" r="8" /><circle cx="380" cy="160" r="6" /><circle cx="380" cy="222" r="6" /></g>
      <g class="fill-copper-300"><circle cx="110" cy="125" r="11" /><circle cx="250" cy="60" r="8" /><circle cx="380" cy="28" r="6" /><circle cx="380" cy="92" r="6" /></g>
    </svg>
    <p class="max-w-lg text-2xl leading-snug font-semibold tracking-tight">Grant once, where it belongs. Everything below inherits it, and you can always see why.</p>
  </div>
</div>
