import { describe, expect, it, vi } from 'vitest';
import { render } from 'vitest-browser-svelte';
import { page, userEvent } from 'vitest/browser';
import { expectNoFindings } from './axe';
import GridWorld from './GridWorld.svelte';

const cell = (name: string, line: number) =>
  page.getByRole('gridcell', { name: `${name}, line ${line}:` });
const editor = (name: string, line: number) =>
  page.getByRole('textbox', { name: `${name}, line ${line}` });

describe('E1 the grid', () => {
  it('has one Tab stop and is walked by arrow keys, Home, End and pages', async () => {
    const { container } = await render(GridWorld, { rows: 40 });
    await userEvent.tab();
    await expect.element(cell('Score', 1)).toHaveFocus();
    expect(container.querySelectorAll('td[tabindex="0"]')).toHaveLength(1);
    await userEvent.keyboard('{ArrowDown}{ArrowRight}{ArrowRight}{ArrowLeft}');
    await expect.element(cell('Copies', 2)).toHaveFocus();
    await userEvent.keyboard('{End}');
    await expect.element(cell('Note', 2)).toHaveFocus();
    await userEvent.keyboard('{PageDown}');
    await expect.element(cell('Note', 14)).toHaveFocus();
    await userEvent.keyboard('{Control>}{Home}{/Control}');
    await expect.element(cell('Score', 1)).toHaveFocus();
    await userEvent.keyboard('{Control>}{End}{/Control}');
    await expect.element(cell('Note', 40)).toHaveFocus();
    await expectNoFindings(container);
  });

  it('goes by Tab over what is closed, from line to line', async () => {
    await render(GridWorld, { rows: 3 });
    await userEvent.tab();
    await userEvent.tab();
    await expect.element(cell('Note', 1)).toHaveFocus();
    await userEvent.tab();
    await expect.element(cell('Score', 2)).toHaveFocus();
    await userEvent.tab({ shift: true });
    await expect.element(cell('Note', 1)).toHaveFocus();
  });

  it('begins an entry with the letter that is typed; Enter takes it and goes down', async () => {
    await render(GridWorld, { rows: 3 });
    await userEvent.tab();
    await userEvent.keyboard('R');
    await expect.element(editor('Score', 1)).toHaveFocus();
    await userEvent.keyboard('ain Idyll{Enter}');
    await expect.element(cell('Score', 2)).toHaveFocus();
    await expect.element(cell('Score', 1)).toHaveTextContent('Rain Idyll');
  });

  it('takes an entry back by Escape, and opens nothing that is closed', async () => {
    await render(GridWorld, { rows: 3 });
    await userEvent.tab();
    await userEvent.keyboard('{F2}x{Escape}');
    await expect.element(cell('Score', 1)).toHaveTextContent(/^Score 1$/);
    await expect.element(cell('Score', 1)).toHaveFocus();
    await userEvent.keyboard('{ArrowRight}9{Enter}');
    await expect.element(cell('Copies', 1)).toHaveTextContent('1');
    await expect.element(cell('Copies', 1)).toHaveAttribute('aria-readonly', 'true');
  });

  it('chooses a block, copies and pastes it', async () => {
    const onchange = vi.fn();
    await render(GridWorld, { rows: 4, onchange });
    await userEvent.tab();
    await userEvent.keyboard('{Shift>}{ArrowDown}{ArrowRight}{/Shift}');
    const clipboard = new DataTransfer();
    const event = new ClipboardEvent('copy', { clipboardData: clipboard, bubbles: true });
    document.activeElement?.dispatchEvent(event);
    expect(clipboard.getData('text/plain')).toBe('Score 1\t1\nScore 2\t2');
    await userEvent.keyboard('{ArrowDown}{ArrowLeft}');
    document.activeElement?.dispatchEvent(
      new ClipboardEvent('paste', { clipboardData: clipboard, bubbles: true }),
    );
    const [cells] = onchange.mock.lastCall ?? [];
    expect(cells?.[2]).toEqual(['Score 1', '1', 'note 3']);
    expect(cells?.[3]).toEqual(['Score 2', '2', 'note 4']);
  });

  it('gives what it does not do itself to the screen, with the block that is chosen', async () => {
    const oncommand = vi.fn<(command: { do: string }) => boolean>(() => true);
    await render(GridWorld, { rows: 4, oncommand });
    await userEvent.tab();
    await userEvent.keyboard('{Shift>}{ArrowDown}{/Shift}{Control>}{Shift>}d{/Shift}{/Control}');
    expect(oncommand).toHaveBeenLastCalledWith({ do: 'fill down' }, 1, {
      ...{ top: 0, bottom: 1, left: 0, right: 0 },
    });
    await userEvent.keyboard('{Delete}');
    expect(oncommand.mock.lastCall?.[0]).toEqual({ do: 'clear' });
  });

  it('marks what is wrong in its cell', async () => {
    await render(GridWorld, { rows: 2 });
    await userEvent.tab();
    await userEvent.keyboard('wrong{Enter}');
    await expect.element(cell('Score', 1)).toHaveAttribute('aria-invalid', 'true');
    await expect.element(cell('Score', 1)).toHaveAttribute('title', 'This is wrong.');
  });

  it('holds ten thousand lines with a page of them in the document', async () => {
    const { container } = await render(GridWorld, { rows: 10_000 });
    expect(container.querySelectorAll('tbody tr').length).toBeLessThan(60);
    await userEvent.tab();
    await userEvent.keyboard('{Control>}{End}{/Control}');
    await expect.element(cell('Note', 10_000)).toHaveFocus();
    expect(container.querySelectorAll('tbody tr').length).toBeLessThan(60);
    await userEvent.keyboard('{Home}Last{Enter}');
    await expect.element(cell('Score', 10_000)).toHaveTextContent('Last');
  });
});
