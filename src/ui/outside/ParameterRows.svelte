<script lang="ts">
  import { Checkbox, Input, Ledger } from '$lib/ui/parts';
  import type { Parameter } from '$lib/core/outside/query';
  import TypeEditor from '$lib/ui/tables/TypeEditor.svelte';

  interface Props {
    parameters: Parameter[];
  }
  let { parameters = $bindable() }: Props = $props();
</script>

<Ledger class="border-line border">
  <thead>
    <tr><th>Parameter</th><th>Label</th><th>Type</th><th>Needed</th><th>Try with</th></tr>
  </thead>
  <tbody>
    {#each parameters as parameter (parameter.key)}
      <tr>
        <td class="font-mono text-[12.5px]">{parameter.key}</td>
        <td>
          <Input aria-label="Label of {parameter.key}" bind:value={parameter.label} />
        </td>
        <td>
          <TypeEditor
            label={parameter.label}
            type={parameter.type}
            tables={[]}
            plain
            onchange={(type) => (parameter.type = type as Parameter['type'])}
          />
        </td>
        <td>
          <Checkbox aria-label="{parameter.label} is needed" bind:checked={parameter.required} />
        </td>
        <td>
          <Input aria-label="Try {parameter.label} with" bind:value={parameter.example} />
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
