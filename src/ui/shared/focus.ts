import { tick } from 'svelte';
import type { Attachment } from 'svelte/attachments';

/**
 * Where the cursor goes: one service for all screens. A control says under which address it stands, and whoever
 * wants the cursor there says so; it comes as soon as the control is in the page.
 */

/** After so long a screen that has changed stands still. Milliseconds. */
const settled = 250;

/** The controls of an address, the one that came last in front: a panel stands over the form. */
const controls = new Map<string, HTMLElement[]>();
/** What can bring an address into the page: the page of a form, the scrolled lines of a grid. */
const reachers = new Set<(address: string) => boolean>();
let wanted: string | null = null;

/** Registers a control under an address for as long as it is in the page. */
export function focusable(address: string | undefined): Attachment<HTMLElement> {
  return (element) => {
    if (address === undefined) return;
    controls.set(address, [...(controls.get(address) ?? []), element]);
    if (wanted === address) void tick().then(() => wanted === address && reach(address));
    return () => {
      const left = (controls.get(address) ?? []).filter((other) => other !== element);
      if (left.length > 0) controls.set(address, left);
      else controls.delete(address);
    };
  };
}

/** Registers something that can bring controls into the page; gives what ends that. */
export function reaches(bring: (address: string) => boolean): () => void {
  reachers.add(bring);
  return () => void reachers.delete(bring);
}

/** Brings the cursor to an address, now or as soon as its control is there. */
export function goTo(address: string): void {
  wanted = address;
  if (!reach(address)) for (const bring of reachers) if (bring(address)) break;
}

/** Lets go of a wish: the person has gone elsewhere. */
export function stayHere(): void {
  wanted = null;
}

function reach(address: string): boolean {
  for (const given of (controls.get(address) ?? []).toReversed()) {
    const element = canFocus(given) ? given : firstControl(given);
    if (!element) continue;
    element.focus();
    if (document.activeElement === element || element.contains(document.activeElement)) {
      if (element instanceof HTMLInputElement) element.select();
      wanted = null;
      return true;
    }
  }
  return false;
}

/** The first control in an element that takes the cursor, without what only closes or moves it. */
export function firstControl(within: HTMLElement): HTMLElement | null {
  const all = [
    ...within.querySelectorAll<HTMLElement>(
      'input, select, textarea, button, a[href], [tabindex="0"], [contenteditable="true"]',
    ),
  ].filter((element) => !element.matches(':disabled, [tabindex="-1"]') && isSeen(element));
  return (
    all.find((element) => element.matches('input, select, textarea, [contenteditable="true"]')) ??
    all[0] ??
    null
  );
}

function isSeen(element: HTMLElement): boolean {
  return element.checkVisibility?.({ visibilityProperty: true }) ?? true;
}

/** Gives the cursor to the first control of a panel or a dialog when it opens, unless it is wanted elsewhere. */
export const startsHere: Attachment<HTMLElement> = (element) => {
  void tick().then(() => {
    const control = element.matches('input, select, textarea, button');
    if (wanted === null) (control ? element : firstControl(element))?.focus();
  });
};

/** Gives the cursor to the heading of a page that was gone to, unless something in it has it already. */
export function firstHeading(page: HTMLElement): void {
  const here = document.activeElement;
  if (wanted !== null || (here && here !== page && page.contains(here))) return;
  const heading = page.querySelector<HTMLElement>('h1') ?? page;
  heading.tabIndex = -1;
  heading.focus({ preventScroll: true });
}

/**
 * Keeps the cursor in the page: where the element that had it goes, what stood next to it takes it, or the nearest
 * thing around it. Gives what ends that.
 */
export function keepFocus(root: HTMLElement): () => void {
  let last: Place = { around: [], at: 0 };
  /** Where the cursor was before it went into a dialog: it goes back there. */
  const before = new WeakMap<HTMLElement, Place>();
  const onfocusin = ({ target }: FocusEvent) => {
    if (!(target instanceof HTMLElement) || target === document.body) return;
    const dialog = target.closest('dialog');
    if (dialog && !last.around.includes(dialog)) before.set(dialog, last);
    last = placeOf(target);
  };
  const lost = () => {
    const { activeElement } = document;
    return activeElement === null || activeElement === document.body;
  };
  /** Gives the cursor to an element that can have it; gives whether it has come. */
  const takes = (element: HTMLElement | null) => {
    if (element && isSeen(element)) element.focus({ preventScroll: true });
    return !lost();
  };
  const keep = () => {
    if (!lost()) return;
    const left = last.around.find((element) => element instanceof HTMLDialogElement);
    if (left && !(left.isConnected && left.hasAttribute('open'))) last = before.get(left) ?? last;
    const { around, at } = last;
    const [self] = around;
    if (self?.isConnected && takes(self)) return;
    const open = document.querySelector<HTMLElement>('dialog[open]');
    for (const parent of around.slice(1)) {
      if (!parent.isConnected || !isSeen(parent)) continue;
      const within = open && !open.contains(parent) ? open : parent;
      const next = within.children.item(Math.min(at, within.children.length - 1));
      const beside = next instanceof HTMLElement ? [next, firstControl(next)] : [];
      if ([...beside, within, firstControl(within)].some(takes)) return;
    }
    takes(document.querySelector<HTMLElement>('main'));
  };
  // After the screen has been brought up to date, and whoever wants the cursor elsewhere has had it.
  const soon = () => {
    // A dialog that has just gone lets what lies behind it be reached again.
    if (wanted !== null) void tick().then(() => wanted !== null && reach(wanted));
    else if (lost()) void tick().then(keep);
    // A control that can no longer be used lets go of the cursor only as the screen is drawn.
    else if (document.activeElement?.matches(':disabled'))
      requestAnimationFrame(() => lost() && keep());
  };
  // What the screen did is seen above; whatever else may have let the cursor go is seen a moment later.
  let pointed = -Infinity;
  const onpointerdown = () => (pointed = performance.now());
  const waiting = new Set<ReturnType<typeof setTimeout>>();
  const later = (times: number) => {
    const timer = setTimeout(() => {
      waiting.delete(timer);
      if (!lost() || !document.hasFocus()) return;
      keep();
      if (times > 1) later(times - 1);
    }, settled);
    waiting.add(timer);
  };
  const onfocusout = ({ relatedTarget }: FocusEvent) => {
    // Who clicks beside everything means it, perhaps to mark some words.
    if (relatedTarget === null && performance.now() - pointed > settled) later(3);
  };
  const watch = new MutationObserver(soon);
  watch.observe(root, {
    childList: true,
    subtree: true,
    attributes: true,
    attributeFilter: ['disabled', 'open', 'hidden'],
  });
  root.addEventListener('focusin', onfocusin);
  root.addEventListener('focusout', onfocusout);
  root.addEventListener('pointerdown', onpointerdown, true);
  for (const kind of ['pointerdown', 'keydown'] as const)
    root.addEventListener(kind, stayHere, true);
  return () => {
    watch.disconnect();
    for (const timer of waiting) clearTimeout(timer);
    root.removeEventListener('focusin', onfocusin);
    root.removeEventListener('focusout', onfocusout);
    root.removeEventListener('pointerdown', onpointerdown, true);
    for (const kind of ['pointerdown', 'keydown'] as const)
      root.removeEventListener(kind, stayHere, true);
  };
}

/** An element with all that is around it, and its place among its neighbours. */
interface Place {
  around: HTMLElement[];
  at: number;
}

function placeOf(target: HTMLElement): Place {
  const around: HTMLElement[] = [];
  for (let element: HTMLElement | null = target; element; element = element.parentElement)
    around.push(element);
  return { around, at: [...(target.parentElement?.children ?? [])].indexOf(target) };
}

function canFocus(element: HTMLElement): boolean {
  return element.matches(
    'input:not(:disabled), select:not(:disabled), textarea:not(:disabled), button:not(:disabled), a[href], [tabindex]',
  );
}
