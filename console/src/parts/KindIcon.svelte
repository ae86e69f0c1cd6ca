<script lang="ts">
  import {
    BuildingOutline,
    DatabaseOutline,
    DesktopPcOutline,
    FileCodeOutline,
    FlaskOutline,
    FolderOutline,
    GlobeOutline,
    GridOutline,
    LayersOutline,
    ServerOutline,
    ArchiveOutline,
  } from "flowbite-svelte-icons";

  let { kind, type, class: shape = "h-4 w-4" }: { kind: string; type?: string; class?: string } = $props();

  const icons: Record<string, typeof FolderOutline> = {
    organisation: BuildingOutline,
    folder: FolderOutline,
    project: LayersOutline,
    compartment: GridOutline,
    machine: ServerOutline,
    network: GlobeOutline,
    subnet: GlobeOutline,
    bucket: ArchiveOutline,
    database: DatabaseOutline,
    lab: FlaskOutline,
    app: DesktopPcOutline,
  };
  const Icon = $derived(icons[type ?? kind] ?? FileCodeOutline);
  const colour = $derived(type ? "text-gray-500 dark:text-gray-400" : "text-primary-600 dark:text-primary-300");
</script>

<Icon class="{shape} {colour} shrink-0" aria-hidden="true" />
