import { autoUpdate, computePosition, flip, offset, shift, size } from '@floating-ui/dom';
import type { Attachment } from 'svelte/attachments';

/**
 * Lets an element stand at another one, above all else, wherever there is room. `width` is how wide it would be,
 * in pixels, given the width of what it stands at; as wide as what stands in it where it is left out.
 */
export function standsAt(
  anchor: () => HTMLElement | undefined,
  width?: (anchor: number) => number,
): Attachment<HTMLElement> {
  return (floating) => {
    const at = anchor();
    if (!at) return;
    Object.assign(floating.style, { position: 'fixed', left: '0', top: '0' });
    return autoUpdate(at, floating, async () => {
      const wish = width?.(at.offsetWidth);
      const { x, y } = await computePosition(at, floating, {
        strategy: 'fixed',
        placement: 'bottom-start',
        middleware: [
          offset(4),
          flip(),
          shift({ padding: 8 }),
          size({
            apply: ({ availableWidth }) => {
              if (wish !== undefined)
                floating.style.width = `${Math.min(wish, availableWidth - 8)}px`;
            },
          }),
        ],
      });
      floating.style.left = `${x}px`;
      floating.style.top = `${y}px`;
    });
  };
}
