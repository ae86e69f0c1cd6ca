<!-- Views beside each other, of which one is open; each has an address. -->
<script lang="ts">
  let { label, tabs }: { label: string; tabs: { href: string; word: string; open: boolean }[] } = $props();
</script>

<nav aria-label={label} class="mb-4 flex gap-1 border-b border-gray-200 dark:border-gray-700">
  {#each tabs as tab (tab.href)}
    <a href={tab.href} aria-current={tab.open ? "page" : undefined}
      class="quiet -mb-px border-b-2 border-transparent px-3 py-2 hover:text-gray-900 aria-[current]:border-primary-600 aria-[current]:font-semibold aria-[current]:text-gray-900 dark:hover:text-gray-50 dark:aria-[current]:border-primary-400 dark:aria-[current]:text-gray-50">{tab.word}</a>
  {/each}
</nav>
