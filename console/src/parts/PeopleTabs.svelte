<!-- People and the programs that act beside them. -->
<script lang="ts">
  import { router } from "svelte-spa-router";
  import Tabs from "./Tabs.svelte";

  const tabs = $derived([
    { href: "#/people", word: "People", open: router.location === "/people" },
    { href: "#/providers", word: "Identity providers", open: router.location === "/providers" },
    { href: "#/outside-groups", word: "Groups from outside", open: router.location === "/outside-groups" },
    { href: "#/service-accounts", word: "Service accounts", open: router.location === "/service-accounts" },
  ]);
</script>

<Tabs label="Who" {tabs} />
