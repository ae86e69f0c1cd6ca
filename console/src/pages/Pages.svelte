<script lang="ts">
  import Router, { router } from "svelte-spa-router";
  import { wrap } from "svelte-spa-router/wrap";
  import { api, ask } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import Header from "../parts/Header.svelte";
  import UndoBar from "../parts/UndoBar.svelte";
  import GuestPage from "./GuestPage.svelte";
  import NewPerson from "./NewPerson.svelte";
  import ServiceAccounts from "./ServiceAccounts.svelte";
  import ServiceAccountPage from "./ServiceAccountPage.svelte";
  import UserPage from "./UserPage.svelte";
  import Changes from "./Changes.svelte";
  import Check from "./Check.svelte";
  import GroupPage from "./GroupPage.svelte";
  import Groups from "./Groups.svelte";
  import Home from "./Home.svelte";
  import NotFound from "./NotFound.svelte";
  import People from "./People.svelte";
  import Policies from "./Policies.svelte";
  import RolePage from "./RolePage.svelte";
  import Roles from "./Roles.svelte";
  import TreePage from "./TreePage.svelte";

  let page = $state<HTMLElement>();

  // Another page is read from its top.
  $effect(() => {
    void router.location;
    const drawn = requestAnimationFrame(() => page?.scrollTo({ top: 0 }));
    return () => cancelAnimationFrame(drawn);
  });

  function skip(event: Event) {
    event.preventDefault();
    page?.focus();
  }

  // The organisation may be called otherwise by now; the name it had goes on meaning it, so that a page in hand stays.
  whenChanged(async () => {
    const me = await ask(api.GET("/session")).catch(() => null); // a session that ended is told by the page itself
    if (me && me.organisation !== session.organisation) session.begin(me);
  }, () => ({ kinds: ["scope"] }));

  // What is not needed at first is fetched when it is: nobody else waits for it.
  const later = (load: Parameters<typeof wrap>[0]["asyncComponent"]) => wrap({ asyncComponent: load });

  const forPeople = {
    "/": Home,
    "/tree": TreePage,
    "/tree/*": TreePage,
    "/people": People,
    "/people/new": NewPerson,
    "/people/:name": UserPage,
    "/import": later(() => import("./ImportPeople.svelte")),
    "/guests/:name": GuestPage,
    "/outside/:name": later(() => import("./OutsidePage.svelte")),
    "/returned": later(() => import("./Returned.svelte")),
    "/providers": later(() => import("./Providers.svelte")),
    "/outside-groups": later(() => import("./OutsideGroups.svelte")),
    "/providers/:name": later(() => import("./ProviderPage.svelte")),
    "/service-accounts": ServiceAccounts,
    "/service-accounts/*": ServiceAccountPage,
    "/settings": later(() => import("./Settings.svelte")),
    "/link/:token": later(() => import("./LinkPage.svelte")),
    "/groups": Groups,
    "/groups/:name": GroupPage,
    "/roles": Roles,
    "/roles/new": later(() => import("./RoleEditor.svelte")),
    "/roles/compare": later(() => import("./RolesCompared.svelte")),
    "/roles/:name": RolePage,
    "/roles/:name/edit": later(() => import("./RoleEditor.svelte")),
    "/catalogue": later(() => import("./Catalogue.svelte")),
    "/glossary": later(() => import("./Glossary.svelte")),
    "/policies": Policies,
    "/policies/:id": later(() => import("./PolicyPage.svelte")),
    "/check": Check,
    "/search": later(() => import("./SearchPage.svelte")),
    "/changes": Changes,
    "/spread": later(() => import("./Spread.svelte")),
    "/loam": later(() => import("./LoamPage.svelte")),
    "/loam/*": later(() => import("./LoamPage.svelte")),
    "/account": later(() => import("./Account.svelte")),
    "/device": later(() => import("./DevicePage.svelte")),
    "/device/:code": later(() => import("./DevicePage.svelte")),
    "*": NotFound,
  };
  const forKeepers = { "/": later(() => import("./Organisations.svelte")), "/account": later(() => import("./Account.svelte")), "/device": later(() => import("./DevicePage.svelte")), "/device/:code": later(() => import("./DevicePage.svelte")), "/glossary": later(() => import("./Glossary.svelte")), "*": NotFound };
</script>

<a href="#main" class="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-white focus:px-4 focus:py-2 focus:text-gray-900" onclick={skip}>Skip to the page</a>
<div class="flex h-screen flex-col max-md:h-auto max-md:min-h-screen">
  <Header />
  <UndoBar />
  <div class="min-h-0 flex-1 overflow-y-auto focus:outline-none max-md:overflow-visible" bind:this={page} id="page" tabindex="-1">
    <Router routes={session.me?.keeper ? forKeepers : forPeople} />
  </div>
</div>
