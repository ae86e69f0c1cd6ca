<!-- The icons of rows, drawn once for the whole console; each row refers to them by Icon. -->
<script lang="ts" module>
  import {
    ArchiveOutline,
    BuildingOutline,
    CogOutline,
    DatabaseOutline,
    DesktopPcOutline,
    FileCodeOutline,
    FlaskOutline,
    FolderOutline,
    GlobeOutline,
    GridOutline,
    LayersOutline,
    ServerOutline,
    UserCircleOutline,
    UsersGroupOutline,
  } from "flowbite-svelte-icons";

  const icons = {
    app: DesktopPcOutline,
    bucket: ArchiveOutline,
    compartment: GridOutline,
    database: DatabaseOutline,
    folder: FolderOutline,
    group: UsersGroupOutline,
    lab: FlaskOutline,
    machine: ServerOutline,
    network: GlobeOutline,
    organisation: BuildingOutline,
    person: UserCircleOutline,
    program: CogOutline,
    project: LayersOutline,
    resource: FileCodeOutline,
    set: GlobeOutline,
    subnet: GlobeOutline,
  };

  export type IconName = keyof typeof icons;

  export const isIcon = (name: string): name is IconName => Object.hasOwn(icons, name);
</script>

<svg class="hidden" aria-hidden="true">
  {#each Object.entries(icons) as [name, Drawn] (name)}<Drawn id="icon-{name}" class="h-full w-full" />{/each}
</svg>
