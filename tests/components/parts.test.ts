import { createRawSnippet } from 'svelte';
import { describe, expect, it, vi } from 'vitest';
import { render } from 'vitest-browser-svelte';
import { page, userEvent } from 'vitest/browser';
import {
  Button,
  Checkbox,
  FileInput,
  Input,
  Ledger,
  Marked,
  Modal,
  Radio,
  Select,
  Textarea,
  Toast,
  Toggle,
} from '$lib/ui/parts';
import * as parts from '$lib/ui/parts';
import { expectNoFindings } from './axe';
import DialogsWorld from './DialogsWorld.svelte';

const words = (text: string) => createRawSnippet(() => ({ render: () => `<span>${text}</span>` }));
const markup = (html: string) => createRawSnippet(() => ({ render: () => html }));

/** Parts that Flowbite gives as they are, or that have a file of tests of their own. */
const elsewhere = [
  'Combobox',
  'DateInput',
  'Grid',
  'Drawer',
  'Pane',
  'Progressbar',
  'SplitPane',
  'Spinner',
  'ThemeProvider',
];

describe('the parts', () => {
  it('are all tried, here or in a file of their own', () => {
    const tried = [
      ...['Button', 'Checkbox', 'FileInput', 'Input', 'Ledger', 'Marked', 'Modal', 'Radio'],
      ...['Select', 'Textarea', 'Toast', 'Toggle'],
      ...elsewhere,
    ];
    expect(Object.keys(parts).sort()).toEqual(tried.sort());
  });

  it.each(['main', 'other', 'link', 'bare'] as const)(
    'a button that looks %s is pressed by mouse, Enter and Space, and not while it is shut',
    async (kind) => {
      const onclick = vi.fn();
      const given = { kind, onclick, children: words('Save') };
      const { container, rerender } = await render(Button, given);
      const button = page.getByRole('button', { name: 'Save' });
      await button.click();
      await userEvent.keyboard('{Enter} ');
      expect(onclick).toHaveBeenCalledTimes(3);
      await expect.element(button).toHaveFocus();
      await expectNoFindings(container);
      await rerender({ ...given, loading: true });
      await expect.element(button).toHaveAttribute('aria-busy', 'true');
      // What it began is under way: it keeps the cursor, and begins nothing else.
      await expect.element(button).toHaveFocus();
      await button.click();
      await userEvent.keyboard('{Enter} ');
      expect(onclick).toHaveBeenCalledTimes(3);
      await rerender({ ...given, loading: false, disabled: true });
      await expect.element(button).toBeDisabled();
    },
  );

  it('a form is not sent a second time while it is under way', async () => {
    const onsubmit = vi.fn((event: Event) => event.preventDefault());
    const given = { type: 'submit' as const, children: words('Send') };
    const { container, rerender } = await render(Button, given);
    const form = document.createElement('form');
    const field = form.appendChild(document.createElement('input'));
    form.addEventListener('submit', onsubmit);
    container.replaceWith(form);
    form.append(container);
    const send = async () => {
      await page.getByRole('button', { name: 'Send' }).click();
      field.focus();
      await userEvent.keyboard('{Enter}');
    };
    await send();
    expect(onsubmit).toHaveBeenCalledTimes(2);
    await rerender({ ...given, loading: true });
    await send();
    expect(onsubmit).toHaveBeenCalledTimes(2);
    form.remove();
  });

  it('a button that goes somewhere is a link', async () => {
    await render(Button, { kind: 'link', href: '#there', children: words('Open') });
    await expect
      .element(page.getByRole('link', { name: 'Open' }))
      .toHaveAttribute('href', '#there');
  });

  it.each([
    ['a tick box', (props: object) => render(Checkbox, props)],
    ['a switch', (props: object) => render(Toggle, props)],
  ])('%s is turned by mouse and Space, and tells it', async (_name, shown) => {
    const onchange = vi.fn((event: Event) => (event.target as HTMLInputElement).checked);
    const { container } = await shown({ 'aria-label': 'Damaged', onchange });
    const box = page.getByRole('checkbox', { name: 'Damaged' });
    await userEvent.tab();
    await expect.element(box).toHaveFocus();
    await userEvent.keyboard(' ');
    await expect.element(box).toBeChecked();
    await userEvent.keyboard(' ');
    await expect.element(box).not.toBeChecked();
    expect(onchange.mock.results.map(({ value }) => value as boolean)).toEqual([true, false]);
    await expectNoFindings(container);
  });

  it('a radio button tells when it is chosen', async () => {
    const onchange = vi.fn();
    const given = { group: 'no', value: 'yes', name: 'damaged', onchange };
    await render(Radio, { ...given, children: words('Yes') });
    await page.getByRole('radio', { name: 'Yes' }).click();
    expect(onchange).toHaveBeenCalledOnce();
    await expect.element(page.getByRole('radio', { name: 'Yes' })).toBeChecked();
  });

  it('a select offers its options, and shows the one that is given', async () => {
    const onchange = vi.fn((event: Event) => (event.target as HTMLSelectElement).value);
    const options = markup(
      '<optgroup label="Towns"><option value="a">Amberwick</option><option value="b">Brindle</option></optgroup>',
    );
    const given = { 'aria-label': 'Town', value: 'b', onchange, children: options };
    const { container } = await render(Select, given);
    const select = page.getByRole('combobox', { name: 'Town' });
    await expect.element(select).toHaveValue('b');
    await select.selectOptions('Amberwick');
    expect(onchange.mock.results.at(-1)?.value).toBe('a');
    await expectNoFindings(container);
  });

  it.each([
    ['a box', (props: object) => render(Input, props)],
    ['a box for long texts', (props: object) => render(Textarea, props)],
  ])('%s is written into, and shut where it is said', async (_name, shown) => {
    const oninput = vi.fn();
    const { container, rerender } = await shown({
      'aria-label': 'Note',
      value: '',
      oninput,
    });
    await userEvent.tab();
    await userEvent.keyboard('Rain & “Idyll”');
    const box = page.getByRole('textbox', { name: 'Note' });
    await expect.element(box).toHaveValue('Rain & “Idyll”');
    expect(oninput).toHaveBeenCalled();
    await expectNoFindings(container);
    await rerender({ 'aria-label': 'Note', value: 'kept', disabled: true });
    await expect.element(box).toBeDisabled();
    await expect.element(box).toHaveValue('kept');
  });

  it('a file is given by choosing it', async () => {
    const onchange = vi.fn((event: Event) => (event.target as HTMLInputElement).files?.[0]?.name);
    const { container } = await render(FileInput, { 'aria-label': 'Photograph', onchange });
    const input = page.getByLabelText('Photograph');
    await input.upload(new File(['x'], 'score.png', { type: 'image/png' }));
    expect(onchange.mock.results[0]?.value).toBe('score.png');
    await expectNoFindings(container);
  });

  it('a dialog in which something was typed asks before it closes, and closes at the second time', async () => {
    const onclose = vi.fn();
    const text = markup('<label>Name <input></label>');
    await render(Modal, { open: true, title: 'Add', children: text, onclose });
    await userEvent.type(page.getByRole('textbox', { name: 'Name' }), 'Brann');
    await userEvent.keyboard('{Escape}');
    await expect.element(page.getByRole('alert')).toHaveTextContent('will be lost');
    await page.getByRole('button', { name: 'Keep editing' }).click();
    await expect.element(page.getByRole('textbox', { name: 'Name' })).toHaveValue('Brann');
    await userEvent.keyboard('{Escape}');
    await page.getByRole('button', { name: 'Close anyway' }).click();
    await vi.waitFor(() => expect(onclose).toHaveBeenCalled());
  });

  it('a dialog whose form was sent off closes at once', async () => {
    const onclose = vi.fn();
    const form = markup('<form><label>Name <input></label><button>Add</button></form>');
    await render(Modal, { open: true, title: 'Add', children: form, onclose });
    await userEvent.type(page.getByRole('textbox', { name: 'Name' }), 'Brann');
    const stays = (event: Event) => event.preventDefault();
    document.addEventListener('submit', stays, { once: true });
    await page.getByText('Add', { exact: true }).last().click();
    await userEvent.keyboard('{Escape}');
    await vi.waitFor(() => expect(onclose).toHaveBeenCalled());
  });

  it('a dialog that goes does not close the one that is opened in its place', async () => {
    const { component } = await render(DialogsWorld);
    await page.getByRole('button', { name: 'Delete them' }).click();
    await expect.element(page.getByText('They will be gone')).toBeVisible();
    (component as unknown as { swap(): void }).swap();
    await expect.element(page.getByText('They will be gone')).not.toBeInTheDocument();
    await new Promise((done) => setTimeout(done, 300));
    await expect.element(page.getByText('What becomes of them')).toBeVisible();
    await userEvent.keyboard('{Escape}');
    await expect.element(page.getByText('What becomes of them')).not.toBeInTheDocument();
  });

  it('a dialog in which nothing was typed closes at once', async () => {
    const onclose = vi.fn();
    const text = markup('<label>Name <input></label>');
    await render(Modal, { open: true, title: 'Add', children: text, onclose });
    await userEvent.keyboard('{Escape}');
    await vi.waitFor(() => expect(onclose).toHaveBeenCalled());
  });

  it('a dialog opens over the page with its title, keeps the cursor in it, and closes by Escape', async () => {
    const given = { title: 'Remove the line?', open: true };
    const { container } = await render(Modal, {
      ...given,
      children: markup('<p><button>Keep</button> <button>Remove</button></p>'),
    });
    const dialog = page.getByRole('dialog', { name: 'Remove the line?' });
    await expect.element(dialog).toBeVisible();
    await expectNoFindings(container);
    for (let i = 0; i < 6; i++) {
      await userEvent.tab();
      // From its end the cursor goes to the browser's own controls, and nowhere else in the page.
      const within = dialog.element().contains(document.activeElement);
      expect(within || document.activeElement === document.body).toBe(true);
    }
    await userEvent.keyboard('{Escape}');
    await expect.element(page.getByText('Keep')).not.toBeInTheDocument();
  });

  it('a notice is closed by its button', async () => {
    const onclose = vi.fn();
    await render(Toast, { onclose, children: words('Saved.') });
    await expect.element(page.getByText('Saved.')).toBeVisible();
    await page.getByRole('button').click();
    expect(onclose).toHaveBeenCalled();
  });

  it('a ledger is a table', async () => {
    const body = markup('<tbody><tr><th scope="row">Score</th><td>12</td></tr></tbody>');
    const { container } = await render(Ledger, { 'aria-label': 'Scores', children: body });
    await expect.element(page.getByRole('table', { name: 'Scores' })).toBeVisible();
    await expectNoFindings(container);
  });

  it('what was typed is marked in a text, whatever is in it', async () => {
    const { container } = await render(Marked, { text: 'Rain <b>Idyll</b>', typed: '<B>' });
    expect(container.textContent).toBe('Rain <b>Idyll</b>');
    expect(container.querySelector('mark')?.textContent).toBe('b');
  });
});
