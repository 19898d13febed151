<script lang="ts">
  import type { Parameter } from '$lib/core/outside/query';
  import TypeEditor from '$lib/ui/tables/TypeEditor.svelte';

  interface Props {
    parameters: Parameter[];
  }
  let { parameters = $bindable() }: Props = $props();
</script>

<table class="ledger border-line border">
  <thead>
    <tr><th>Parameter</th><th>Label</th><th>Type</th><th>Needed</th><th>Try with</th></tr>
  </thead>
  <tbody>
    {#each parameters as parameter (parameter.key)}
      <tr>
        <td class="font-mono text-[12.5px]">{parameter.key}</td>
        <td>
          <input
            class="control"
            aria-label="Label of {parameter.key}"
            bind:value={parameter.label}
          />
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
          <input
            type="checkbox"
            aria-label="{parameter.label} is needed"
            bind:checked={parameter.required}
          />
        </td>
        <td>
          <input
            class="control"
            aria-label="Try {parameter.label} with"
            bind:value={parameter.example}
          />
        </td>
      </tr>
    {/each}
  </tbody>
</table>
