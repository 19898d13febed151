import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { commandOf, type GridCommand, type Pressed } from './grid-keys';

/** `Ctrl+Shift+D` as it is pressed. */
function press(keys: string): Pressed {
  const parts = keys.split('+');
  const key = parts.pop() ?? '';
  const has = (name: string) => parts.includes(name);
  return {
    key,
    ctrlKey: has('Ctrl'),
    metaKey: has('Meta'),
    altKey: has('Alt'),
    shiftKey: has('Shift'),
  };
}

describe('E2 keys in a grid', () => {
  it.each<[string, GridCommand | null]>([
    ['ArrowDown', { do: 'move', rows: 1, columns: 0, extend: false }],
    ['Shift+ArrowRight', { do: 'move', rows: 0, columns: 1, extend: true }],
    ['PageUp', { do: 'move', rows: -12, columns: 0, extend: false }],
    ['Home', { do: 'home', whole: false, extend: false }],
    ['Ctrl+Home', { do: 'home', whole: true, extend: false }],
    ['Ctrl+Shift+End', { do: 'end', whole: true, extend: true }],
    ['Tab', { do: 'next', by: 1 }],
    ['Shift+Tab', { do: 'next', by: -1 }],
    ['Alt+ArrowUp', { do: 'shift line', by: -1 }],
    ['Alt+ArrowDown', { do: 'shift line', by: 1 }],
    ['Alt+Enter', { do: 'open line' }],
    ['Ctrl+d', { do: 'copy line' }],
    ['Meta+D', { do: 'copy line' }],
    ['Ctrl+Shift+D', { do: 'fill down' }],
    ['Ctrl+Delete', { do: 'remove line' }],
    ['Ctrl+z', { do: 'put back' }],
    ['Delete', { do: 'clear' }],
    ['Backspace', { do: 'clear' }],
    ['Enter', { do: 'edit' }],
    ['F2', { do: 'edit' }],
    ['7', { do: 'type', letter: '7' }],
    [' ', { do: 'type', letter: ' ' }],
    ['Shift+A', { do: 'type', letter: 'A' }],
  ])('%s', (keys, command) => {
    expect(commandOf(press(keys))).toEqual(command);
  });

  it.each([
    'Escape',
    'F5',
    'Shift',
    'Ctrl+c',
    'Ctrl+v',
    'Ctrl+s',
    'Ctrl+Enter',
    'Alt+n',
    'Alt+p',
    'Ctrl+Alt+d',
  ])('leave %s to whoever else has it', (keys) => {
    expect(commandOf(press(keys))).toBeNull();
  });

  it('never take a letter that is pressed with Ctrl, Alt or Meta for a typed one', () => {
    const held = fc.constantFrom('Ctrl', 'Alt', 'Meta');
    fc.assert(
      fc.property(held, fc.string({ minLength: 1, maxLength: 1 }), (name, letter) => {
        const pressed = { ...press(`${name}+x`), key: letter };
        expect(commandOf(pressed)?.do).not.toBe('type');
      }),
    );
  });
});
