<script lang="ts">
  import { onMount } from 'svelte';
  import { say } from '$lib/core/words/say';
  import { problem } from '$lib/core/problems';
  import Problems from '$lib/ui/shared/Problems.svelte';

  let place: HTMLElement;
  let state = $state<'loading' | 'there' | 'failed'>('loading');

  // What is tried here is asked as the person who looks: with their session, from this page.
  onMount(async () => {
    try {
      const [{ default: draw }] = await Promise.all([
        import('swagger-ui-dist/swagger-ui-es-bundle.js'),
        import('swagger-ui-dist/swagger-ui.css'),
      ]);
      draw({
        ...{ url: '/api/openapi.json', domNode: place, deepLinking: true, filter: true },
        ...{
          docExpansion: 'none',
          validatorUrl: null,
          tagsSorter: 'alpha',
          defaultModelsExpandDepth: -1,
        },
        onComplete: () => (state = 'there'),
        onFailure: () => (state = 'failed'),
      });
    } catch {
      state = 'failed';
    }
  });
</script>

{#if state === 'loading'}<p class="quiet px-5">Loading what programs can ask…</p>{/if}
{#if state === 'failed'}
  <div class="px-5"><Problems problems={[problem('unreachable')]} /></div>
{/if}
<!-- The renderer writes in English, from left to right, on white. -->
<div
  bind:this={place}
  class="api-reader"
  lang="en"
  dir="ltr"
  role="region"
  aria-label={say('What programs can ask')}
></div>

<style>
  .api-reader {
    color-scheme: light;
    background: #fff;
    /* What the page says already: the name, the version, whose session. */
    :global(.information-container),
    :global(.scheme-container) {
      display: none;
    }
    :global(.swagger-ui),
    :global(.swagger-ui :is(h1, h2, h3, h4, h5, label, p, a, th, td, input, button)) {
      font-family: inherit;
    }
    :global(.swagger-ui .opblock-tag) {
      font-size: 15px;
    }
  }
</style>
