<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Input } from '$lib/ui/parts';

  interface Props {
    value: string;
    label: string;
    /** Whether a new one is chosen, or the present one asked for. */
    fresh?: boolean;
    element?: HTMLInputElement | undefined;
    invalid?: boolean;
  }
  let {
    value = $bindable(),
    label,
    fresh = false,
    element = $bindable(),
    invalid = false,
  }: Props = $props();

  let seen = $state(false);
  const id = $props.id();
</script>

<div class="grid gap-1">
  <label class="font-semibold" for={id}>{label}</label>
  <div class="flex items-center gap-3">
    <Input
      {id}
      bind:element
      bind:value
      class="min-w-0 flex-1"
      type={seen ? 'text' : 'password'}
      autocomplete={fresh ? 'new-password' : 'current-password'}
      maxlength={200}
      required
      aria-invalid={invalid ? true : undefined}
    />
    <Button kind="link" aria-pressed={seen} onclick={() => (seen = !seen)}>
      {seen ? say('Hide') : say('Show')}
    </Button>
  </div>
</div>
