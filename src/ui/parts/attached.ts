import type { Attachment } from 'svelte/attachments';

/** Hands out the element that a part of Flowbite makes, and takes it back when it goes. */
export function attached(
  take: (element: HTMLElement | undefined) => void,
): Attachment<HTMLElement> {
  return (element) => {
    take(element);
    return () => take(undefined);
  };
}
