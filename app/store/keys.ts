import { create } from 'zustand';

interface Key {
  /** What it does. */
  title: string;
  /** Where it does it. */
  where: string;
  /** Until it is changed: "Ctrl+Shift+Z", a letter, a sign. */
  usual: string;
}

/** The keys that can be changed. Ctrl stands for Command too. */
export const KEYS = {
  palette: { title: 'Find a command, a step, a receiver, a terrain', where: 'Anywhere', usual: 'Ctrl+K' },
  undo: { title: 'Undo', where: 'Anywhere', usual: 'Ctrl+Z' },
  redo: { title: 'Redo', where: 'Anywhere', usual: 'Ctrl+Shift+Z' },
  redoToo: { title: 'Redo, another way', where: 'Anywhere', usual: 'Ctrl+Y' },
  frameAll: { title: 'Show all of the ground', where: 'In the view', usual: 'F' },
  fillWindow: { title: 'The view fills the window, and back', where: 'In Work', usual: 'W' },
  brushSmaller: { title: 'A smaller brush', where: 'In the view', usual: '[' },
  brushLarger: { title: 'A larger brush', where: 'In the view', usual: ']' },
  standHere: { title: 'See the ground as after this step', where: 'On a card of the course', usual: 'S' },
  otherSide: { title: 'See B while it is held', where: 'In Compare', usual: 'B' },
} as const satisfies Record<string, Key>;
export type KeyId = keyof typeof KEYS;

/** The keys that stay: where, and what they do. */
export const FIXED_KEYS: readonly [where: string, what: string][] = [
  ['On a card of the course', 'Arrow keys go to the next card; with Alt they move the step along its line, or to another line. Delete removes it.'],
  ['On a card’s handle', 'Space takes it up, arrow keys go from gap to gap, Space puts it down, Escape leaves it.'],
  ['In the view', 'Arrow keys turn and tilt, with Shift they move; + and − go nearer and farther.'],
  ['On a point in the view or of a curve', 'Arrow keys move it, with Shift ten times as far; Insert puts one behind it; Delete takes it away.'],
  ['In a field of a number', 'Arrow keys go up and down, with Shift ten times as far; Enter takes it, Escape leaves it as it was.'],
  ['Anywhere', 'Escape puts a tool down and closes what is open.'],
];

const STORED = 'upland-cast:keys';

function stored(): Partial<Record<KeyId, string>> {
  try {
    const read = JSON.parse(localStorage.getItem(STORED) ?? '{}') as Record<string, unknown>;
    return Object.fromEntries(Object.entries(read).filter(([id, key]) => id in KEYS && typeof key === 'string'));
  } catch {
    return {};
  }
}

/** The keys that were changed in this browser. */
export const useKeys = create<{ own: Partial<Record<KeyId, string>> }>(() => ({ own: stored() }));

export const keyOf = (id: KeyId): string => useKeys.getState().own[id] ?? KEYS[id].usual;

const NAMES: Record<string, string> = { ' ': 'Space', Esc: 'Escape' };

/** What was pressed, as it is written in the list; null for a modifier alone. */
export function chordOf(event: Pick<KeyboardEvent, 'key' | 'ctrlKey' | 'metaKey' | 'altKey' | 'shiftKey'>): string | null {
  const { key } = event;
  if (['Control', 'Shift', 'Alt', 'Meta', 'AltGraph', 'Dead', 'Unidentified'].includes(key)) return null;
  const letter = key.length === 1 && key.toLowerCase() !== key.toUpperCase();
  // Of a sign Shift is a part of how it is typed.
  const shift = event.shiftKey && (letter || key.length > 1);
  return `${event.ctrlKey || event.metaKey ? 'Ctrl+' : ''}${event.altKey ? 'Alt+' : ''}${shift ? 'Shift+' : ''}${NAMES[key] ?? (letter ? key.toUpperCase() : key)}`;
}

export const isPressed = (event: Parameters<typeof chordOf>[0], id: KeyId): boolean => chordOf(event) === keyOf(id);

/** Keys that do something everywhere, and are not given away. */
const TAKEN = /^(Tab|Shift\+Tab|Escape|Enter|Space|Delete|Backspace|Insert|\+|-|=|(Alt\+|Shift\+)?Arrow\w+)$/;

/** Gives a command another key; a sentence where it cannot have it. Null: its usual one. */
export function setKey(id: KeyId, key: string | null): string | null {
  const wanted = key ?? KEYS[id].usual;
  if (TAKEN.test(wanted)) return `${wanted} does something of its own already.`;
  const other = (Object.keys(KEYS) as KeyId[]).find((one) => one !== id && keyOf(one) === wanted);
  if (other) return `${wanted} is the key of “${KEYS[other].title}” already.`;
  const { [id]: _, ...rest } = useKeys.getState().own;
  const own = wanted === KEYS[id].usual ? rest : { ...rest, [id]: wanted };
  useKeys.setState({ own });
  try {
    localStorage.setItem(STORED, JSON.stringify(own));
  } catch {
    // A browser that keeps nothing has them for as long as the page lives.
  }
  return null;
}

/** Whether somebody is typing, so that a letter is a letter. */
export const isTyping = ({ target }: Event): boolean =>
  (target instanceof HTMLInputElement && target.type !== 'range' && target.type !== 'checkbox') ||
  target instanceof HTMLTextAreaElement ||
  target instanceof HTMLSelectElement;
