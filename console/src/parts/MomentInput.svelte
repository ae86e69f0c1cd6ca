<!-- A moment: a day and, if wanted, a time of it, in the viewer's own time zone. The value is as a field of date and time has it,
     such as 2027-03-31T18:00; empty for none. -->
<script lang="ts">
  let { id, name, value = $bindable() }: { id?: string; name: string; value: string } = $props();

  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const day = $derived(value.slice(0, 10));
  const time = $derived(value.slice(11) || "00:00");
</script>

<span class="flex gap-2">
  <input {id} type="date" {name} value={day} onchange={(e) => (value = e.currentTarget.value ? `${e.currentTarget.value}T${time}` : "")} class="field min-w-0 flex-1" />
  <input type="time" name="{name}-time" aria-label="Time of day in {zone}" title="Time of day in {zone}" value={day ? time : ""} disabled={!day} onchange={(e) => (value = `${day}T${e.currentTarget.value || "00:00"}`)} class="field w-28" />
</span>
