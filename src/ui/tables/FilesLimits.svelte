<script lang="ts">
  import {
    fileKindNames,
    fileKinds,
    largestFile,
    mostFiles,
    type FileKind,
    type FilesType,
  } from '$lib/core/values/files';
  import { Checkbox, Input } from '$lib/ui/parts';

  interface Props {
    type: FilesType;
    label: string;
    onchange: (type: FilesType) => void;
  }
  let { type, label, onchange }: Props = $props();

  const megabyte = 1e6;
  function chooseKind(kind: FileKind, chosen: boolean) {
    const kinds = fileKinds.filter((each) => (each === kind ? chosen : type.kinds.includes(each)));
    onchange({ ...type, kinds });
  }
</script>

<!-- Which files a column holds: kinds, number and size. -->
<span class="flex flex-wrap items-center gap-x-3 gap-y-1">
  {#each fileKinds as kind (kind)}
    <Checkbox
      checked={type.kinds.includes(kind)}
      onchange={({ currentTarget: { checked } }) => chooseKind(kind, checked)}
      >{fileKindNames[kind]}</Checkbox
    >
  {/each}
</span>
<label class="flex items-center gap-1.5">
  <span class="quiet">number</span>
  <Input
    class="w-16! text-right"
    type="number"
    min="1"
    max={mostFiles}
    aria-label="Most files in {label}"
    value={type.most}
    onchange={(event) => onchange({ ...type, most: event.currentTarget.valueAsNumber || 1 })}
  />
</label>
<label class="flex items-center gap-1.5">
  <span class="quiet">largest, in MB</span>
  <Input
    class="w-20! text-right"
    type="number"
    min="1"
    max={largestFile / megabyte}
    aria-label="Largest file in {label}, in megabytes"
    value={Math.round(type.largest / megabyte)}
    onchange={(event) =>
      onchange({ ...type, largest: (event.currentTarget.valueAsNumber || 20) * megabyte })}
  />
</label>
