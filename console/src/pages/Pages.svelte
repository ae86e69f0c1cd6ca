<script lang="ts">
  import Router from "svelte-spa-router";
  import { wrap } from "svelte-spa-router/wrap";
  import { session } from "../lib/session.svelte";
  import Header from "../parts/Header.svelte";
  import Account from "./Account.svelte";
  import Check from "./Check.svelte";
  import GroupPage from "./GroupPage.svelte";
  import Groups from "./Groups.svelte";
  import Nowhere from "./Nowhere.svelte";
  import Organisations from "./Organisations.svelte";
  import People from "./People.svelte";
  import Person from "./Person.svelte";
  import Policies from "./Policies.svelte";
  import RolePage from "./RolePage.svelte";
  import Roles from "./Roles.svelte";
  import TreePage from "./TreePage.svelte";

  const forPeople = {
    "/": TreePage,
    "/tree": TreePage,
    "/tree/*": TreePage,
    "/people": People,
    "/people/:name": Person,
    "/groups": Groups,
    "/groups/:name": GroupPage,
    "/roles": Roles,
    "/roles/:name": RolePage,
    "/policies": Policies,
    // The editor is fetched when it is needed: nobody else waits for it.
    "/policies/:id": wrap({ asyncComponent: () => import("./PolicyPage.svelte") }),
    "/check": Check,
    "/account": Account,
    "*": Nowhere,
  };
  const forKeepers = { "/": Organisations, "/account": Account, "*": Nowhere };
</script>

<Header />
<Router routes={session.me?.keeper ? forKeepers : forPeople} />
