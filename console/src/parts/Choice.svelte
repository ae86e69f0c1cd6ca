<!-- A text field with a list to choose from. Typing narrows the list, arrows move in it, Enter takes what is marked and
     never sends the form while the list is open. -->
<script lang="ts">
  import { tick, untrack } from "svelte";
  import { fitting, settled, type Option } from "../lib/choices";

  // onchosen is told when something was chosen: picked from the list, or typed and left. Where picking adds to a list of its own,
  // such as members, Enter never sends the form (adds). Where the list grows above the field, leaving it adds nothing (leaves): what is
  // below would move away under the press that left it.
  let {
    id, value = $bindable(""), options, placeholder = "", name, adds = false, leaves = true, onchosen,
  }: { id: string; value?: string; options: Option[]; placeholder?: string; name: string; adds?: boolean; leaves?: boolean; onchosen?: () => void } = $props();

  const atMost = 60; // rows drawn; what is typed narrows them
  let input = $state<HTMLInputElement>();
  let list = $state<HTMLUListElement>();
  let open = $state(false);
  let all = $state(false); // opened without typing: everything is offered
  let marked = $state(-1);
  let place = $state("");

  const found = $derived(open ? fitting(options, all ? "" : value) : []);
  const shown = $derived(found.slice(0, atMost));

  // The list stands over everything, dialogs too, and is placed by hand since it is no longer part of the page's flow.
  function setPlace() {
    if (!input) return;
    const { left, top, bottom, width } = input.getBoundingClientRect();
    const [below, above] = [innerHeight - bottom - 8, top - 8];
    const up = below < 180 && above > below;
    const right = Math.max(8, innerWidth - Math.max(width, 288) - 8);
    place = `left:${Math.min(left, right)}px;min-width:${width}px;max-height:${Math.min(288, up ? above : below)}px;${up ? `bottom:${innerHeight - top + 4}px` : `top:${bottom + 4}px`}`;
  }

  $effect(() => {
    if (!open || !list || shown.length === 0) return undefined;
    untrack(setPlace);
    if (!list.matches(":popover-open")) list.showPopover();
    const follow = () => setPlace();
    addEventListener("scroll", follow, true);
    addEventListener("resize", follow);
    return () => {
      removeEventListener("scroll", follow, true);
      removeEventListener("resize", follow);
    };
  });

  function show(everything: boolean) {
    all = everything;
    open = true;
    marked = everything ? options.findIndex((option) => option.value === value) : value.trim() ? 0 : -1;
    if (marked >= atMost) marked = -1;
  }

  function close() {
    open = false;
    marked = -1;
  }

  function pick(option: Option) {
    value = option.value;
    close();
    onchosen?.();
  }

  async function mark(to: number) {
    if (!open) show(!value.trim() || options.some((option) => option.value === value));
    else marked = shown.length === 0 ? -1 : (to + shown.length) % shown.length;
    await tick();
    list?.querySelector("[aria-selected=true]")?.scrollIntoView({ block: "nearest" });
  }

  function typed() {
    if (settled(options, value)) close();
    else show(false);
  }

  function onkeydown(event: KeyboardEvent) {
    switch (event.key) {
      case "ArrowDown":
        event.preventDefault();
        return void mark(marked + 1);
      case "ArrowUp":
        event.preventDefault();
        return void mark(marked < 0 ? -1 : marked - 1);
      case "Enter": {
        const option = open ? shown[marked] : undefined;
        if (option || adds) event.preventDefault();
        if (option) pick(option);
        else if (adds && value.trim()) onchosen?.();
        return;
      }
      case "Tab": {
        // What was marked by an arrow, or is the only one that fits, is taken along.
        const option = open && value.trim() ? (shown.length === 1 ? shown[0] : undefined) : undefined;
        if (option) pick(option);
        return close();
      }
      case "Escape":
        if (!open || shown.length === 0) return;
        event.preventDefault();
        event.stopPropagation();
        return close();
    }
  }
</script>

<input
  bind:this={input}
  {id}
  {name}
  role="combobox"
  aria-autocomplete="list"
  aria-expanded={open && shown.length > 0}
  aria-controls="{id}-list"
  aria-activedescendant={open && marked >= 0 ? `${id}-${marked}` : undefined}
  bind:value
  oninput={typed}
  onclick={() => (open ? undefined : show(true))}
  onchange={() => (leaves ? onchosen?.() : undefined)}
  onblur={close}
  {onkeydown}
  {placeholder}
  autocomplete="off"
  spellcheck="false"
  class="w-full field"
/>
{#if open && shown.length > 0}
  <ul
    bind:this={list}
    popover="manual"
    id="{id}-list"
    role="listbox"
    aria-label="Choices"
    style={place}
    class="fixed inset-auto m-0 max-w-[min(40rem,calc(100vw-1rem))] overflow-y-auto rounded-lg border border-gray-300 bg-white py-1 text-gray-900 shadow-lg dark:border-gray-600 dark:bg-gray-800 dark:text-gray-100"
  >
    {#each shown as option, i (option.value)}
      <!-- The field keeps the focus, and hears the keys. -->
      <!-- svelte-ignore a11y_click_events_have_key_events -->
      <li
        id="{id}-{i}"
        role="option"
        aria-selected={i === marked}
        class="cursor-pointer px-3 py-1.5 hover:bg-gray-100 aria-selected:bg-primary-100 dark:hover:bg-gray-700 dark:aria-selected:bg-primary-900"
        onpointerdown={(event) => event.preventDefault()}
        onclick={() => pick(option)}
      >
        <span class="flex items-baseline gap-3"><span class="break-all">{option.value}</span>{#if option.hint}<span class="quiet ml-auto shrink-0 text-sm">{option.hint}</span>{/if}</span>
        {#if option.note}<span class="quiet block text-sm">{option.note}</span>{/if}
      </li>
    {/each}
    {#if found.length > shown.length}<li class="quiet px-3 py-1.5 text-sm" role="presentation">and {found.length - shown.length} more: type to narrow them</li>{/if}
  </ul>
{/if}
