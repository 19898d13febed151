/** What a key means in a cell of a grid that is not being edited. */
export type GridCommand =
  | { do: 'move'; rows: number; columns: number; extend: boolean }
  /** To the first or last cell of the line, or of the whole grid. */
  | { do: 'home' | 'end'; whole: boolean; extend: boolean }
  /** To the next cell that can be filled. */
  | { do: 'next'; by: 1 | -1 }
  | { do: 'shift line'; by: 1 | -1 }
  | { do: 'open line' | 'copy line' | 'remove line' | 'put back' | 'fill down' | 'clear' | 'edit' }
  /** A letter begins an entry of its own. */
  | { do: 'type'; letter: string };

/** A key as it was pressed. */
export type Pressed = Pick<KeyboardEvent, 'key' | 'ctrlKey' | 'metaKey' | 'altKey' | 'shiftKey'>;

const pageOfLines = 12;
const moves: Readonly<Record<string, readonly [rows: number, columns: number]>> = {
  ArrowDown: [1, 0],
  ArrowUp: [-1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  PageDown: [pageOfLines, 0],
  PageUp: [-pageOfLines, 0],
};

/** The command of a key; `null` where the grid has nothing to do with it. */
export function commandOf(pressed: Pressed): GridCommand | null {
  const { key, altKey, shiftKey: extend } = pressed;
  const ctrl = pressed.ctrlKey || pressed.metaKey;
  if (altKey) return ctrl ? null : withAlt(key);
  const move = moves[key];
  if (move) return { do: 'move', rows: move[0], columns: move[1], extend };
  if (key === 'Home') return { do: 'home', whole: ctrl, extend };
  if (key === 'End') return { do: 'end', whole: ctrl, extend };
  if (ctrl) return withCtrl(key, extend);
  switch (key) {
    case 'Tab':
      return { do: 'next', by: extend ? -1 : 1 };
    case 'Delete':
    case 'Backspace':
      return { do: 'clear' };
    case 'Enter':
    case 'F2':
      return { do: 'edit' };
    default:
      return key.length === 1 ? { do: 'type', letter: key } : null;
  }
}

function withAlt(key: string): GridCommand | null {
  if (key === 'ArrowUp') return { do: 'shift line', by: -1 };
  if (key === 'ArrowDown') return { do: 'shift line', by: 1 };
  return key === 'Enter' ? { do: 'open line' } : null;
}

function withCtrl(key: string, shift: boolean): GridCommand | null {
  switch (key.toLowerCase()) {
    case 'd':
      return { do: shift ? 'fill down' : 'copy line' };
    case 'delete':
      return { do: 'remove line' };
    case 'z':
      return shift ? null : { do: 'put back' };
    default:
      return null;
  }
}
