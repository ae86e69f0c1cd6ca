<script lang="ts">
  import { CogOutline, MoonOutline, SearchOutline, SunOutline, UserCircleOutline } from "flowbite-svelte-icons";
  import { router } from "svelte-spa-router";
  import { signOut } from "../lib/api";
  import { onMount } from "svelte";
  import { authority } from "../lib/authority.svelte";
  import { loam } from "../lib/loam.svelte";
  import { session } from "../lib/session.svelte";
  import { viewing } from "../lib/viewing.svelte";
  import Finder from "./Finder.svelte";
  import Mark from "./Mark.svelte";

  onMount(() => {
    if (!session.me?.keeper) authority.load();
    loam.find().catch(() => undefined); // a service that does not answer is told of by the page itself
  });

  const pages = $derived([
    { to: "/", name: "Home" },
    { to: "/tree", name: "Tree" },
    { to: "/people", name: "People" },
    { to: "/groups", name: "Groups" },
    { to: "/roles", name: "Roles" },
    { to: "/policies", name: "Policies" },
    { to: "/check", name: "Check" },
    ...(authority.may("list audit-record") ? [{ to: "/changes", name: "Changes" }] : []),
    ...(loam.there ? [{ to: "/loam", name: "Loam" }] : []),
  ]);

  let finding = $state(false);

  // The stroke opens the finder from anywhere but a field that takes it as text.
  function onkeydown(event: KeyboardEvent) {
    const field = event.target instanceof HTMLElement && event.target.closest("input, textarea, select, [contenteditable]");
    if (event.key !== "/" || field || event.ctrlKey || event.metaKey || event.altKey || !session.organisation) return;
    event.preventDefault();
    finding = true;
  }

  let dark = $state(document.documentElement.classList.contains("dark"));

  function turn() {
    dark = !dark;
    document.documentElement.classList.toggle("dark", dark);
    localStorage.setItem("theme", dark ? "dark" : "light");
  }

  function here(to: string): boolean {
    if (to === "/tree" && (router.location === "/search" || router.location === "/spread")) return true;
    if (to === "/roles" && router.location === "/catalogue") return true;
    if (to === "/people" && /^\/(guests\/|service-accounts|outside|providers)/.test(router.location)) return true;
    return to === "/" ? router.location === "/" : router.location.startsWith(to);
  }

  // On a phone the pages do not all fit: the row fades where it goes on, and the page that is open stands in view.
  let nav = $state<HTMLElement>();
  let goesOn = $state(false);
  const look = () => (goesOn = nav !== undefined && nav.scrollLeft + nav.clientWidth < nav.scrollWidth - 4);
  $effect(() => {
    void router.location;
    // Where things stand is asked once they are drawn: before, the browser would work it out twice.
    const drawn = requestAnimationFrame(() => {
      nav?.querySelector("[aria-current]")?.scrollIntoView({ block: "nearest", inline: "center" });
      look();
    });
    return () => cancelAnimationFrame(drawn);
  });
</script>

<svelte:window onresize={look} {onkeydown} />
{#if viewing.as}
  <div role="status" class="sticky top-0 z-30 flex items-center justify-center gap-4 bg-copper-200 px-5 py-2 font-semibold text-copper-900" data-test="viewing">
    <span>You look as {viewing.as}, and can change nothing.</span>
    <button type="button" class="rounded border border-copper-700 px-3 py-0.5 hover:bg-copper-100" onclick={() => viewing.stop()}>Look as yourself</button>
  </div>
{/if}
<Finder bind:open={finding} />
<header class="sticky top-0 z-20 flex min-h-14 flex-wrap items-center gap-x-6 max-md:static max-md:gap-x-2 max-md:gap-y-1 max-md:px-3 max-md:pt-1.5 border-b border-primary-900 bg-primary-800 px-5 text-gray-50 dark:border-gray-700 dark:bg-primary-950">
  <a href="#/" class="flex items-center gap-2.5 rounded">
    <Mark />
    <span class="text-lg font-semibold tracking-tight max-md:sr-only">Arbora</span>
  </a>
  {#if session.me?.keeper}
    <span class="rounded-full bg-primary-900 px-3 py-1 text-sm">Keeper of this installation</span>
  {:else}
    <nav
      bind:this={nav}
      onscroll={look}
      class="-mb-px flex h-14 items-stretch gap-1 max-md:order-last max-md:h-10 max-md:w-full max-md:overflow-x-auto {goesOn ? 'max-md:mask-r-from-80%' : ''}"
      aria-label="Pages"
    >
      {#each pages as page (page.to)}
        <a
          href={"#" + page.to}
          aria-current={here(page.to) ? "page" : undefined}
          class="flex items-center border-y-2 border-transparent px-3 text-primary-100 hover:text-white aria-[current]:border-b-copper-300 aria-[current]:font-semibold aria-[current]:text-white"
        >
          {page.name}
        </a>
      {/each}
    </nav>
  {/if}
  <div class="ml-auto flex items-center gap-3 max-md:gap-1.5 max-md:text-sm">
    {#if session.organisation}
      <button type="button" onclick={() => (finding = true)} class="rounded p-1.5 text-primary-100 hover:bg-primary-900 hover:text-white" aria-label="Find anything" title="Find anything: press /"><SearchOutline class="h-5 w-5" /></button>
    {/if}
    {#if session.organisation}
      <a href="#/account" class="rounded-full px-3 py-1 text-sm max-md:px-2 {session.me?.kind === 'guest' ? 'bg-copper-200 font-semibold text-copper-900' : 'bg-primary-900 text-primary-50 max-md:hidden'}" title="Where you work at present; your account's page lists the organisations that know you" data-test="organisation">
        {session.organisation}{session.me?.kind === "guest" ? ", as a guest" : ""}
      </a>
    {/if}
    <a href="#/account" class="flex items-center gap-2 rounded px-1 text-primary-50 hover:text-white" title="Own account">
      <UserCircleOutline class="h-5 w-5" />
      <span class="max-sm:sr-only" data-test="me">{session.me?.name}</span>
    </a>
    {#if session.organisation}
      <a href="#/settings" class="rounded p-1.5 text-primary-100 hover:bg-primary-900 hover:text-white" aria-label="Settings of {session.organisation}" title="Settings of {session.organisation}"><CogOutline class="h-5 w-5" /></a>
    {/if}
    <button type="button" onclick={turn} class="rounded p-1.5 text-primary-100 hover:bg-primary-900 hover:text-white" aria-label={dark ? "Light colours" : "Dark colours"} title={dark ? "Light colours" : "Dark colours"}>
      {#if dark}<SunOutline class="h-5 w-5" />{:else}<MoonOutline class="h-5 w-5" />{/if}
    </button>
    <button type="button" onclick={signOut} class="rounded border border-primary-500 px-3 py-1 text-sm text-primary-50 hover:bg-primary-900">Sign out</button>
  </div>
</header>
