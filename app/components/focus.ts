import { tabbable } from 'tabbable';

/** Where the focus was: what had it, and where in the page that stood. */
interface Stood {
  element: Element;
  around: { parent: Element; index: number }[];
}

/**
 * Keeps the focus near where it was when what has it goes away: the card that was deleted, the row that was taken
 * out, the panel that was closed. Without this the next key would begin again at the top of the page. Gives what ends it.
 */
export function keepFocusNear(): () => void {
  let stood: Stood | null = null;
  const remember = ({ target }: FocusEvent) => {
    if (!(target instanceof Element)) return;
    const around: Stood['around'] = [];
    for (let child: Element = target; child.parentElement; child = child.parentElement)
      around.push({ parent: child.parentElement, index: [...child.parentElement.children].indexOf(child) });
    stood = { element: target, around };
  };
  const onChange = () => {
    if (!stood || stood.element.isConnected || (document.activeElement && document.activeElement !== document.body)) return;
    const next = nearest(stood);
    stood = null;
    next?.focus({ preventScroll: true });
  };
  const watcher = new MutationObserver(onChange);
  document.addEventListener('focusin', remember);
  watcher.observe(document.body, { childList: true, subtree: true });
  return () => {
    document.removeEventListener('focusin', remember);
    watcher.disconnect();
  };
}

/** What can take the focus in the innermost place that is still there: at the same position, else after it, else before it. */
function nearest({ around }: Stood): HTMLElement | null {
  for (const { parent, index } of around) {
    if (!parent.isConnected) continue;
    const all = tabbable(parent);
    if (all.length === 0) continue;
    const here = parent.children[index];
    const behind = here && all.find((one) => here.contains(one) || here.compareDocumentPosition(one) & Node.DOCUMENT_POSITION_FOLLOWING);
    return (behind as HTMLElement | undefined) ?? (all.at(-1) as HTMLElement);
  }
  return null;
}
