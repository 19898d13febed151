<script lang="ts">
  import { extent } from 'd3-array';
  import { scaleLinear } from 'd3-scale';
  import { line } from 'd3-shape';

  interface Props {
    /** Values at equal distances, the oldest first. */
    values: readonly number[];
    /** What it shows, in words. */
    label: string;
  }
  /** How a number went, as a line a word high. */
  let { values, label }: Props = $props();

  const [width, height] = [120, 18];
  const path = $derived.by(() => {
    const x = scaleLinear([0, Math.max(1, values.length - 1)], [1, width - 1]);
    const [least = 0, most = 0] = extent(values);
    const y = scaleLinear([least, most === least ? least + 1 : most], [height - 2, 2]);
    return line<number>((_, i) => x(i), y)(values as number[]) ?? '';
  });
</script>

<svg viewBox="0 0 {width} {height}" {width} {height} role="img" aria-label={label}>
  <path d={path} fill="none" stroke="var(--navy)" stroke-width="1.5" />
</svg>
