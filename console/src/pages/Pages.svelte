<script lang="ts">
  import Router, { router } from "svelte-spa-router";
  import { wrap } from "svelte-spa-router/wrap";
  import { api, ask } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import Header from "../parts/Header.svelte";
  import UndoBar from "../parts/UndoBar.svelte";
  import Account from "./Account.svelte";
  import DevicePage from "./DevicePage.svelte";
  import GuestPage from "./GuestPage.svelte";
  import LinkPage from "./LinkPage.svelte";
  import NewPerson from "./NewPerson.svelte";
  import ServiceAccounts from "./ServiceAccounts.svelte";
  import ServiceAccountPage from "./ServiceAccountPage.svelte";
  import Settings from "./Settings.svelte";
  import UserPage from "./UserPage.svelte";
  import Changes from "./Changes.svelte";
  import Check from "./Check.svelte";
  import GroupPage from "./GroupPage.svelte";
  import Groups from "./Groups.svelte";
  import Home from "./Home.svelte";
  import LoamPage from "./LoamPage.svelte";
  import NotFound from "./NotFound.svelte";
  import Organisations from "./Organisations.svelte";
  import People from "./People.svelte";
  import Policies from "./Policies.svelte";
  import Catalogue from "./Catalogue.svelte";
  import RoleEditor from "./RoleEditor.svelte";
  import RolesCompared from "./RolesCompared.svelte";
  import RolePage from "./RolePage.svelte";
  import Roles from "./Roles.svelte";
  import SearchPage from "./SearchPage.svelte";
  import TreePage from "./TreePage.svelte";

  let page = $state<HTMLElement>();

  // Another page is read from its top.
  $effect(() => {
    void router.location;
    page?.scrollTo({ top: 0 });
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

  const forPeople = {
    "/": Home,
    "/tree": TreePage,
    "/tree/*": TreePage,
    "/people": People,
    "/people/new": NewPerson,
    "/people/:name": UserPage,
    "/import": wrap({ asyncComponent: () => import("./ImportPeople.svelte") }),
    "/guests/:name": GuestPage,
    "/service-accounts": ServiceAccounts,
    "/service-accounts/*": ServiceAccountPage,
    "/settings": Settings,
    "/link/:token": LinkPage,
    "/groups": Groups,
    "/groups/:name": GroupPage,
    "/roles": Roles,
    "/roles/new": RoleEditor,
    "/roles/compare": RolesCompared,
    "/roles/:name": RolePage,
    "/roles/:name/edit": RoleEditor,
    "/catalogue": Catalogue,
    "/policies": Policies,
    // The editor is fetched when it is needed: nobody else waits for it.
    "/policies/:id": wrap({ asyncComponent: () => import("./PolicyPage.svelte") }),
    "/check": Check,
    "/search": SearchPage,
    "/changes": Changes,
    "/spread": wrap({ asyncComponent: () => import("./Spread.svelte") }),
    "/loam": LoamPage,
    "/loam/*": LoamPage,
    "/account": Account,
    "/device": DevicePage,
    "/device/:code": DevicePage,
    "*": NotFound,
  };
  const forKeepers = { "/": Organisations, "/account": Account, "/device": DevicePage, "/device/:code": DevicePage, "*": NotFound };
</script>

<a href="#main" class="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-white focus:px-4 focus:py-2 focus:text-gray-900" onclick={skip}>Skip to the page</a>
<div class="flex h-screen flex-col max-md:h-auto max-md:min-h-screen">
  <Header />
  <UndoBar />
  <div class="min-h-0 flex-1 overflow-y-auto focus:outline-none max-md:overflow-visible" bind:this={page} id="page" tabindex="-1">
    <Router routes={session.me?.keeper ? forKeepers : forPeople} />
  </div>
</div>
