<!-- People and the programs that act beside them. -->
<script lang="ts">
  import { router } from "svelte-spa-router";

  const tabs = [{ to: "/people", word: "Users and guests" }, { to: "/service-accounts", word: "Service accounts" }];
</script>

<nav aria-label="Who" class="mb-4 flex gap-1 border-b border-gray-200 dark:border-gray-700">
  {#each tabs as tab (tab.to)}
    <a href={"#" + tab.to} aria-current={router.location === tab.to ? "page" : undefined}
      class="quiet -mb-px border-b-2 border-transparent px-3 py-2 hover:text-gray-900 aria-[current]:border-primary-600 aria-[current]:font-semibold aria-[current]:text-gray-900 dark:hover:text-gray-50 dark:aria-[current]:border-primary-400 dark:aria-[current]:text-gray-50">{tab.word}</a>
  {/each}
</nav>
