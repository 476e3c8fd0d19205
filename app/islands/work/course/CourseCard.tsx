import { useDraggable } from '@dnd-kit/core';
import { Flag, GripVertical } from 'lucide-react';
import { useEffect, useLayoutEffect, useRef, type ReactNode } from 'react';
import type { StepUse } from '@upland-cast/core';
import { nudgeStep, removeStep, select, setUse, standAt, type CoursePlace } from '../../../store/course';
import { isPressed } from '../../../store/keys';
import { useTerrain } from '../../../store/state';
import { captionOf } from './caption';
import type { CardPlace } from './course-layout';
import { CARD, titleOf, xOf } from './measures';
import css from './CourseStrip.module.css';

/** A step as a card: the ground after it in ink, what it is called and does, and its switches. */
export function Card({ place, height, hidden, reached, children }: CardProps) {
  const { use, line, index } = place;
  const selected = useTerrain((s) => s.selected === use.id);
  const readOnly = useTerrain((s) => s.readOnly);
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, isDragging } = useDraggable({
    id: use.id,
    disabled: readOnly,
    data: { line, index } satisfies CoursePlace,
  });
  const box = useRef<HTMLLIElement | null>(null);
  // Selected from another room, it is brought into sight when this one is seen.
  const here = useTerrain((s) => s.room === 'work');
  useLayoutEffect(() => {
    if (selected && here) box.current?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  }, [selected, here]);
  return (
    <>
      <li
        ref={(element) => {
          setNodeRef(element);
          box.current = element;
        }}
        className={css.place}
        style={{ left: xOf(place.column), width: CARD, height }}
      >
        <Face use={use} selected={selected} dragging={isDragging} reached={reached} hidden={hidden}>
          <button
            ref={setActivatorNodeRef}
            type="button"
            className={css.grip}
            {...attributes}
            {...listeners}
            tabIndex={reached ? 0 : -1}
            aria-label={`Move ${titleOf(use)}`}
            title="Drag to move; from the keyboard press Space, arrow keys, Space"
          >
            <GripVertical size={13} />
          </button>
        </Face>
      </li>
      {children}
    </>
  );
}

interface CardProps {
  place: CardPlace;
  height: number;
  /** Cards that are folded into this one. */
  hidden: number;
  /** The Tab key comes to it. */
  reached: boolean;
  children: ReactNode;
}

interface FaceProps {
  use: StepUse;
  selected: boolean;
  dragging: boolean;
  reached: boolean;
  hidden: number;
  children: ReactNode;
}

function Face({ use, selected, dragging, reached, hidden, children }: FaceProps) {
  const stage = useTerrain((s) => s.stages[use.id]);
  const standing = useTerrain((s) => s.standing === use.id);
  const readOnly = useTerrain((s) => s.readOnly);
  const title = titleOf(use);
  const said = useTerrain((s) => {
    const words = captionOf(use, s.course!);
    return stage?.fault && !words.startsWith('waits') ? 'cannot be done' : words;
  });
  const faulty = stage?.fault && !said.startsWith('waits');
  const classes = [css.card, selected && css.selected, !use.on && css.off, faulty && css.faulty, standing && css.standing, dragging && css.dragging];
  return (
    <div className={classes.filter(Boolean).join(' ')}>
      <button
        type="button"
        className={css.open}
        data-card={use.id}
        tabIndex={reached ? 0 : -1}
        aria-pressed={selected}
        aria-label={`${title}, ${said}${stage?.fault ? '' : stage?.words.length ? ', with a word' : ''}`}
        title={stage?.fault ?? stage?.words[0]}
        onClick={() => select(use.id)}
        onKeyDown={(event) => onCardKey(event, use.id, readOnly)}
      >
        <Relief stageKey={stage?.key} />
        <span className={css.text}>
          <b>{title}</b> <span className="number">{said}</span>
        </span>
      </button>
      {use.where.masks.some((m) => m.on) && <i className={css.masked} title="It acts within a mask" />}
      {hidden > 0 && <span className={`${css.more} number`}>+{hidden}</span>}
      <Switches use={use} title={title} standing={standing} tabIndex={reached ? 0 : -1} />
      {children}
    </div>
  );
}

/** On or off, and whether the view shows the ground as it stands after it. */
function Switches({ use, title, standing, tabIndex }: { use: StepUse; title: string; standing: boolean; tabIndex: number }) {
  const readOnly = useTerrain((s) => s.readOnly);
  return (
    <>
      <button
        type="button"
        className={css.dot}
        tabIndex={tabIndex}
        role="switch"
        aria-checked={use.on}
        aria-label={`${title} is on`}
        title={use.on ? 'Switch off' : 'Switch on'}
        disabled={readOnly}
        onClick={() => setUse(use.id, use.on ? 'Switch off' : 'Switch on', (u) => void (u.on = !u.on))}
      />
      <button
        type="button"
        className={css.stand}
        tabIndex={tabIndex}
        aria-pressed={standing}
        aria-label={`Stand after ${title}`}
        title={standing ? 'Back to the end of the course' : 'Show up to here: the ground as after this step'}
        onClick={() => standAt(use.id)}
      >
        <Flag size={12} />
      </button>
    </>
  );
}

/** Arrow keys go from card to card; with Alt they move the card. Delete removes; a key stands here. */
function onCardKey(event: React.KeyboardEvent<HTMLButtonElement>, id: string, readOnly: boolean): void {
  const along = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
  const across = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
  if (event.key === 'Delete' && !readOnly) removeStep(id);
  else if (isPressed(event.nativeEvent, 'standHere')) standAt(id);
  else if (event.altKey && (along || across)) {
    if (!readOnly) nudgeStep(id, along, across);
  } else if (along || across) toNeighbour(event.currentTarget, along, across);
  else return;
  event.preventDefault();
}

function toNeighbour(from: HTMLButtonElement, along: number, across: number): void {
  const here = from.getBoundingClientRect();
  const cards = [...from.closest('section')!.querySelectorAll<HTMLButtonElement>('li button[aria-pressed][aria-label]')].filter(
    (b) => b.className === from.className,
  );
  const score = (box: DOMRect) => {
    const [dx, dy] = [box.left - here.left, box.top - here.top];
    if (along) return Math.abs(dy) < 8 && dx * along > 4 ? Math.abs(dx) : Infinity;
    return dy * across > 8 ? Math.abs(dy) * 4 + Math.abs(dx) : Infinity;
  };
  const best = cards.map((card) => ({ card, away: score(card.getBoundingClientRect()) })).sort((a, b) => a.away - b.away)[0];
  if (!best || best.away === Infinity) return;
  best.card.focus();
  best.card.click();
}

/** The ground after the step, in ink. */
function Relief({ stageKey }: { stageKey: string | undefined }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const reliefs = useTerrain((s) => s.reliefs);
  useEffect(() => {
    const image = stageKey && reliefs.get(stageKey);
    if (image) canvas.current?.getContext('2d')?.putImageData(image, 0, 0);
  }, [stageKey, reliefs]);
  return <canvas ref={canvas} className={css.relief} width={208} height={78} aria-hidden="true" />;
}
