import { ArrowRight, X } from 'lucide-react';
import { Button } from '../../components/controls';
import { DEMO_ID } from '../../storage/terrains';
import { select } from '../../store/course';
import { goToHint, useHints } from '../../store/hints';
import { useTerrain } from '../../store/state';
import css from './Hints.module.css';

interface Hint {
  say: string;
  /** What is tried by a press, and what the button says. */
  act: [string, () => void];
}

const view = (part: object) => useTerrain.setState((s) => ({ view: { ...s.view, ...part } }));

const HINTS: readonly Hint[] = [
  {
    say: 'The ground is made by the cards along the foot, first to last. Select one, move a setting at the right, and see what comes of it.',
    act: ['Select “Becks and gills”', () => select('wear')],
  },
  {
    say: 'Drag the ground to turn it, with the right button or two fingers to move it; the wheel goes nearer. Plan, Section and Land are other ways to look.',
    act: ['See the plan', () => view({ camera: 'plan' })],
  },
  {
    say: 'Ground is judged by its light. Move the sun over its dome, or take the working light for form alone.',
    act: ['Move the sun', () => view({ camera: 'relief', lightPanel: true })],
  },
  {
    say: 'Everything is found by its name, or by the word that your trade has for it: try “erosion”, “seed”, “offset 20 m”.',
    act: ['Find something', () => useTerrain.setState({ dialog: 'palette' })],
  },
  {
    say: 'When it is right it goes out through Export: a file for each receiver, read back and proved, with every number the other side types in.',
    act: ['Open Export', () => void (location.hash = '#hand-off')],
  },
];

/** Five things to try on the demo, one after the other, until they are put away. */
export function Hints() {
  const at = useHints((s) => s.at);
  const demo = useTerrain((s) => s.id === DEMO_ID);
  if (!demo || at >= HINTS.length) return null;
  const {
    say,
    act: [words, act],
  } = HINTS[at];
  return (
    <aside className={css.hint} aria-label="Hints">
      <p>
        <b className="number">
          {at + 1} of {HINTS.length}
        </b>{' '}
        {say}
      </p>
      <div>
        <Button onClick={act}>{words}</Button>
        <Button look="main" onClick={() => goToHint(at + 1)}>
          {at + 1 < HINTS.length ? 'Next' : 'Done'} <ArrowRight size={13} />
        </Button>
        <Button look="quiet" square aria-label="Put the hints away for good" title="Put the hints away for good" onClick={() => goToHint(HINTS.length)}>
          <X size={14} />
        </Button>
      </div>
    </aside>
  );
}
