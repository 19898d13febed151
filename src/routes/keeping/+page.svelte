<script lang="ts">
  import { countWords } from '$lib/core/words/about';
  import { listed, num, plural, say, spoken } from '$lib/core/words/say';
  import { sizeText } from '$lib/core/values/files';
  import { Ledger } from '$lib/ui/parts';
  import { ago } from '$lib/ui/shared/ago';
  import Sparkline from '$lib/ui/shared/Sparkline.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  const states = spoken(() => ({
    good: say('good: restored beside and read'),
    unchecked: say('written, not checked'),
    failed: say('failed'),
  }));
  const tones = { good: 'good', unchecked: 'watch', failed: 'bad' } as const;
  const reads = spoken(() => ({
    list: say('its choices'),
    record: say('what a chosen record brings'),
    value: say('its value'),
    key: say('a typed key'),
  }));
  const largest = $derived(Math.max(1, ...data.sizes.map(({ bytes }) => bytes)));
  const { lying, state } = $derived(data);
  const looks = $derived([
    ...(lying.failed > 0
      ? [
          {
            href: '/outside',
            text: plural(lying.failed, [
              '# thing could not be sent outside.',
              '# things could not be sent outside.',
            ]),
          },
        ]
      : []),
    ...(lying.waiting > 0
      ? [
          {
            href: '/outside',
            text: plural(lying.waiting, [
              '# thing waits to be sent outside.',
              '# things wait to be sent outside.',
            ]),
          },
        ]
      : []),
    ...lying.failing.map(({ connection, failed, asked }) => ({
      href: `/outside`,
      text: say(
        `${connection} failed ${num(failed)} of ${num(asked)} times that it was asked since yesterday.`,
      ),
    })),
    ...lying.drafts.map(({ person, form, at }) => ({
      href: `/forms/${form}`,
      text: say(`${person} left an entry of ${form} unfinished ${ago(at)}.`),
    })),
  ]);
</script>

<svelte:head><title>Keeping – Unisor</title></svelte:head>
<div class="headline"><h1>Keeping</h1></div>
<div class="mx-auto grid max-w-[1100px] gap-8 px-5 py-6">
  <section aria-labelledby="backups">
    <h2 id="backups" class="mb-2 font-serif text-[18px]">Backups</h2>
    {#if state.worry}
      <p class="text-crimson" role="alert">
        {state.worry === 'failed'
          ? say('The last backup failed. Nothing newer than the one before it can be brought back.')
          : say('The last backup is older than twice the time between two.')}
      </p>
    {/if}
    <p class="text-soft">
      {#if state.every === null}
        None are made by themselves. Set <code>UNISOR_BACKUP_FOLDER</code> where the server is
        started, or run <code>npm run backup -- FILE</code>.
      {:else}
        One is made every {num(state.every)} hours.
      {/if}
      {#if state.lastGood}The last one that can be used was made {ago(state.lastGood)}.{/if}
    </p>
    {#if data.backups.length > 0}
      <Ledger class="border-line mt-2 border" aria-label="Backups">
        <thead>
          <tr>
            <th>Made</th><th>State</th><th class="num">Size</th><th class="num">Seconds</th><th
              >File</th
            >
          </tr>
        </thead>
        <tbody>
          {#each data.backups as { at, file, bytes, took, state: how, reason } (at)}
            <tr>
              <td>{ago(at)}</td>
              <td>
                <span class="mark {tones[how]}">{states[how]}</span>
                {reason ?? ''}
              </td>
              <td class="num">{bytes === null ? '–' : sizeText(bytes)}</td>
              <td class="num">{num(Math.round(took / 100) / 10)}</td>
              <td class="wrap-anywhere">{file}</td>
            </tr>
          {/each}
        </tbody>
      </Ledger>
    {:else}
      <p class="quiet">No backup has been made yet.</p>
    {/if}
  </section>
  <section aria-labelledby="looks">
    <h2 id="looks" class="mb-2 font-serif text-[18px]">To look at</h2>
    <ul class="m-0 grid list-none gap-1 p-0">
      {#each data.unfit as text (text)}
        <li>{text}</li>
      {/each}
      {#each looks as { href, text }, i (i)}
        <li><a class="textlink" {href}>{text}</a></li>
      {/each}
      {#if looks.length + data.unfit.length === 0}
        <li class="quiet">Nothing lies about.</li>
      {/if}
    </ul>
  </section>
  <section aria-labelledby="drift">
    <h2 id="drift" class="mb-2 font-serif text-[18px]">Stored records and their forms</h2>
    {#if data.drift.length > 0}
      <Ledger class="border-line border" aria-label="Stored records and their forms">
        <thead>
          <tr>
            <th>Form</th><th>Looked at</th><th class="num">Records</th>
            <th class="num">Do not fit</th><th><span class="sr-only">Share</span></th>
          </tr>
        </thead>
        <tbody>
          {#each data.drift as { form, title, at, judged, records } (form)}
            <tr>
              <td><a class="hover:underline" href="/forms/{form}/drift">{title}</a></td>
              <td>{ago(at)}</td>
              <td class="num">{num(judged)}</td>
              <td class="num">{num(records)}</td>
              <td class="w-1/3">
                <span
                  class="bg-crimson block h-2.5"
                  style="width: {(100 * records) / Math.max(1, judged)}%"
                ></span>
              </td>
            </tr>
          {/each}
        </tbody>
      </Ledger>
    {:else}
      <p class="quiet">No stored records have been held against their forms yet.</p>
    {/if}
  </section>
  <section aria-labelledby="slow">
    <h2 id="slow" class="mb-2 font-serif text-[18px]">Slow reads</h2>
    {#if data.slow.length > 0}
      <Ledger class="border-line border" aria-label="Slow reads">
        <thead>
          <tr>
            <th>Form</th><th>Field</th><th>What is read</th><th class="num">Times</th>
            <th class="num">Longest, seconds</th><th>Last</th>
          </tr>
        </thead>
        <tbody>
          {#each data.slow as { form, title, scope, field, label, kind, n, longest, at } (`${form} ${scope} ${field} ${kind}`)}
            <tr>
              <td>
                <a class="hover:underline" href="/forms/{form}/design?view=wiring&field={field}"
                  >{title}</a
                >
              </td>
              <td>{label}</td>
              <td>{reads[kind]}</td>
              <td class="num">{num(n)}</td>
              <td class="num">{num(Math.round(longest / 10) / 100)}</td>
              <td>{ago(at)}</td>
            </tr>
          {/each}
        </tbody>
      </Ledger>
    {:else}
      <p class="quiet">Nobody has waited long for a list or a value lately.</p>
    {/if}
  </section>
  <section aria-labelledby="sizes">
    <h2 id="sizes" class="mb-2 font-serif text-[18px]">Tables by size</h2>
    <Ledger class="border-line border" aria-label="Tables by size">
      <thead>
        <tr>
          <th>Table</th><th class="num">Records</th>
          <th class="num">In {num(data.grownOver)} days</th>
          <th><span class="sr-only">Growth</span></th>
          <th class="num">Size</th><th><span class="sr-only">Size</span></th>
        </tr>
      </thead>
      <tbody>
        {#each data.sizes as { key, title, records, bytes, days } (key)}
          {@const grown = records - (days[0]?.records ?? records)}
          <tr>
            <td><a class="hover:underline" href="/tables/{key}">{title}</a></td>
            <td class="num">{countWords(records)}</td>
            <td class="num">
              {days.length < 2 ? '–' : grown > 0 ? `+${num(grown)}` : num(grown)}
            </td>
            <td>
              {#if days.length > 2}
                <Sparkline
                  values={days.map((day) => day.records)}
                  label={say(`${title}, how the number of records went`)}
                />
              {/if}
            </td>
            <td class="num">{sizeText(bytes)}</td>
            <td class="w-1/3">
              <span class="bg-navy block h-2.5" style="width: {(100 * bytes) / largest}%"></span>
            </td>
          </tr>
        {/each}
      </tbody>
    </Ledger>
    {#if data.words.length > 0}
      <Ledger class="border-line mt-4 border" aria-label="Indexes of words">
        <thead>
          <tr>
            <th>Words of</th><th>Columns</th><th>Indexed</th><th>Checked</th>
            <th class="num">Records mended</th>
          </tr>
        </thead>
        <tbody>
          {#each data.words as { table, title, columns, share, checked, mended } (`${table} ${columns.join()}`)}
            <tr>
              <td><a class="hover:underline" href="/tables/{table}">{title}</a></td>
              <td>{listed(columns)}</td>
              <td>{share === null ? say('all') : say(`${num(Math.floor(share * 100))} %`)}</td>
              <td>{checked === null ? '–' : ago(checked)}</td>
              <td class="num">{checked === null ? '–' : num(mended)}</td>
            </tr>
          {/each}
        </tbody>
      </Ledger>
    {/if}
    <p class="quiet mt-2">
      {plural(lying.people, ['# person has an account.', '# people have accounts.'])}
    </p>
  </section>
</div>
