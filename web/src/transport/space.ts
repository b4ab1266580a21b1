/** Space listens and stops, wherever the mouse was used last. */

const NOT_TEXT = new Set([
  "button",
  "checkbox",
  "color",
  "file",
  "image",
  "radio",
  "range",
  "reset",
]);

const PRESSED =
  "a[href], button, input, select, summary, [role=button], [role=checkbox], [role=tab]";

/**
 * Whether Space belongs to what has the focus: to text, to an open menu, and to a control that was
 * reached by keyboard. One that was only clicked keeps the focus, but nobody thinks of it.
 */
export function takesSpace(target: EventTarget | null, reachedByKeys: boolean): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.isContentEditable || target instanceof HTMLTextAreaElement) return true;
  if (target instanceof HTMLInputElement && !NOT_TEXT.has(target.type)) return true;
  if (target.closest("[role=menu]")) return true;
  return reachedByKeys && target.matches(PRESSED);
}

/** Call `toggle` for each press of Space that is free; returns what ends that. */
export function onSpace(toggle: () => void): () => void {
  let ours = false;
  // `:focus-visible` does not say it: it holds for what was clicked as soon as any key is pressed.
  let byKeys = false;
  let reached = false;
  const point = () => {
    byKeys = false;
    reached = false;
  };
  const focus = () => {
    reached = byKeys;
  };
  const down = (event: KeyboardEvent) => {
    const free = event.key === " " && !event.ctrlKey && !event.metaKey && !event.altKey;
    if (free && !event.repeat) ours = !takesSpace(event.target, reached);
    if (!free || !ours) {
      byKeys = true;
      return;
    }
    event.preventDefault();
    // Ahead of the control that was clicked: neither it nor a menu's button presses itself.
    event.stopPropagation();
    if (!event.repeat) toggle();
  };
  const up = (event: KeyboardEvent) => {
    if (event.key !== " " || !ours) return;
    event.preventDefault();
    event.stopPropagation();
    ours = false;
  };
  const ends = new AbortController();
  const options = { capture: true, signal: ends.signal };
  window.addEventListener("pointerdown", point, options);
  window.addEventListener("focusin", focus, options);
  window.addEventListener("keydown", down, options);
  window.addEventListener("keyup", up, options);
  return () => ends.abort();
}
