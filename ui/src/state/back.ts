/**
 * For what opens over a view or inside it: where the keyboard was when it
 * opened, it is again when it has closed (or beside it, where that is gone),
 * unless it has gone elsewhere by itself.
 */
export function back(el: Element): () => void {
  const was = document.activeElement;
  const around = el.parentElement;
  const still = (e: Element | null): e is HTMLElement => e instanceof HTMLElement && e !== document.body && e.isConnected;
  return () =>
    setTimeout(() => {
      if (still(document.activeElement)) return;
      const beside = [...(around?.querySelectorAll("button:not([disabled])") ?? [])].at(-1) ?? null;
      [was, beside, document.getElementById("board")].find(still)?.focus();
    });
}
