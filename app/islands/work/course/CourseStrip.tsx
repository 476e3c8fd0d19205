import {
  closestCenter,
  DndContext,
  DragOverlay,
  KeyboardSensor,
  PointerSensor,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
  type CollisionDetection,
  type DragEndEvent,
  type KeyboardCoordinateGetter,
} from '@dnd-kit/core';
import { ChevronsLeftRight, ChevronsRightLeft, Flag, GripVertical, Plus, Waves } from 'lucide-react';
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { findUse, stepById, type StepUse } from '@upland-cast/core';
import { figure } from '../../../components/format';
import { addStep, addTributary, moveStep, nudgeStep, removeStep, select, setTributary, setUse, standAt, type CoursePlace } from '../../../store/course';
import { captionOf } from './caption';
import { isPressed } from '../../../store/keys';
import { useLayout } from '../../../store/layout';
import { useTerrain } from '../../../store/state';
import { layoutOf, type CardPlace, type CourseLayout } from './course-layout';
import { CourseOverview } from './CourseOverview';
import { StepMenu } from './StepMenu';
import css from './CourseStrip.module.css';

/** Pixels: a card and what lies between it and the next; cards are lower where there are many lines. */
const CARD = 108;
const GAP = 24;
const LABEL = 86;
const COLUMN = CARD + GAP;
const tall = (rows: number) => (rows > 2 ? { card: 60, row: 70 } : { card: 86, row: rows === 1 ? 112 : 98 });
const MOST_ROWS = 4;

const xOf = (column: number) => LABEL + GAP + column * COLUMN;

/** The course: every line of steps a row of cards with the ground as it stands after each; tributaries flow in from above. */
export function CourseStrip() {
  const course = useTerrain((s) => s.course)!;
  const picture = useTerrain((s) => s.picture);
  const readOnly = useTerrain((s) => s.readOnly);
  const [adding, setAdding] = useState<{ at: CoursePlace; x: number } | null>(null);
  const [dragged, setDragged] = useState<string | null>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const layout = useMemo(() => layoutOf(course), [course]);
  const size = tall(layout.rows.length);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }), useSensor(KeyboardSensor, { coordinateGetter: toNextGap }));
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    setDragged(null);
    const to = over?.data.current as CoursePlace | undefined;
    if (to) moveStep(String(active.id), to);
  };
  const width = xOf(layout.columns) + 20;
  const height = layout.rows.length * size.row + 8;
  const { ground } = course;
  const strip = useLayout((s) => s.strip);
  const roving = useRoving(layout);
  const draggedUse = dragged ? findUse(course, dragged)?.use : undefined;
  return (
    <section className={css.course} aria-label="Course" style={{ height: strip ?? Math.min(layout.rows.length, MOST_ROWS) * size.row + 22 }}>
      <div className={css.scroller} ref={scroller}>
        <DndContext
          sensors={sensors}
          collisionDetection={nearestGap}
          autoScroll={{ threshold: { x: 0.05, y: 0.08 } }}
          onDragStart={({ active }) => setDragged(String(active.id))}
          onDragEnd={onDragEnd}
          onDragCancel={() => setDragged(null)}
        >
          <div className={css.sheet} style={{ width, height, minWidth: '100%' }}>
            <Streams layout={layout} size={size} height={height} />
            {layout.rows.map((line, row) => {
              const cards = layout.cards.filter((c) => c.line === line.id);
              const tributary = course.tributaries.find((t) => t.id === line.id);
              const small = tributary?.collapsed && cards.length > 1;
              return (
                <div key={line.id} className={css.row} style={{ top: row * size.row + 4, height: size.row }}>
                  <LineLabel id={line.id} name={line.name} collapsed={Boolean(tributary?.collapsed)} size={size} />
                  <ol className={css.cards} aria-label={line.id ? `Tributary ${line.name}` : 'Stem'}>
                    {!small && (
                      <Gap
                        line={line.id}
                        index={0}
                        x={(cards.length ? xOf(cards[0].column) : xOf(0)) - GAP}
                        height={size.card}
                        label={cards.length ? `Add a step before ${titleOf(cards[0].use)}` : 'Add the first step'}
                        onAdd={setAdding}
                        first={cards.length === 0}
                        reached={cards.length === 0 || cards[0].use.id === roving}
                      />
                    )}
                    {(small ? cards.slice(-1) : cards).map((place) => (
                      <Card key={place.use.id} place={place} height={size.card} hidden={small ? cards.length - 1 : 0} reached={place.use.id === roving}>
                        {!small && (
                          <Gap
                            line={line.id}
                            index={place.index + 1}
                            x={xOf(place.column) + CARD}
                            height={size.card}
                            label={`Add a step after ${titleOf(place.use)}`}
                            onAdd={setAdding}
                            reached={place.use.id === roving}
                          />
                        )}
                      </Card>
                    ))}
                  </ol>
                </div>
              );
            })}
          </div>
          <DragOverlay dropAnimation={null}>{draggedUse && <div className={css.ghost}>{titleOf(draggedUse)}</div>}</DragOverlay>
        </DndContext>
      </div>
      <div className={css.side}>
        <button type="button" className={css.newLine} disabled={readOnly} onClick={() => addTributary()}>
          <Waves size={13} /> Tributary
        </button>
        <CourseOverview layout={layout} scroller={scroller} width={width} height={height} column={COLUMN} row={size.row} />
        <div className={css.end}>
          <b>{course.name}</b>
          <span className="number">{picture ? `${figure(picture.statistics.lowest, 1)} – ${figure(picture.statistics.highest, 1)} m` : '…'}</span>
          <span className="number">
            {ground.across === ground.down ? `${ground.across}²` : `${ground.across} × ${ground.down}`} · 32 f{picture?.preview ? ' · preview' : ''}
          </span>
        </div>
      </div>
      {adding && (
        <StepMenu
          x={adding.x}
          onClose={() => setAdding(null)}
          onPick={(id, params) => {
            addStep(id, adding.at, params);
            focusSelected();
          }}
        />
      )}
    </section>
  );
}

/** The card that the Tab key comes to: the selected one, else the first. The others are reached by arrow keys. */
function useRoving({ cards }: CourseLayout): string | undefined {
  const selected = useTerrain((s) => s.selected);
  return cards.some(({ use }) => use.id === selected) ? selected! : (cards.find(({ line }) => line === '') ?? cards[0])?.use.id;
}

/** To the card of the selected step, once it is there. */
const focusSelected = () =>
  requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-card="${CSS.escape(useTerrain.getState().selected ?? '')}"]`)?.focus());

const titleOf = (use: StepUse) => {
  if (use.name) return use.name;
  try {
    return stepById(use.step).title;
  } catch {
    return use.step;
  }
};

/** The water: a stream along every line, and one from the end of each tributary to what reads it. */
function Streams({ layout, size, height }: { layout: CourseLayout; size: { card: number; row: number }; height: number }) {
  const middle = (row: number) => row * size.row + 4 + size.card / 2 + 2;
  const cardsOf = (line: string) => layout.cards.filter((c) => c.line === line);
  return (
    <svg className={css.streams} width="100%" height={height} aria-hidden="true">
      {layout.rows.map((line, row) => {
        const cards = cardsOf(line.id);
        if (!cards.length && line.id) return null;
        const from = cards.length ? xOf(cards[0].column) : xOf(0);
        // The stem flows on to the edge, where the terrain stands.
        const to = line.id ? xOf(cards[cards.length - 1].column) + CARD : 100_000;
        return <path key={line.id} className={line.id ? css.brook : css.river} d={`M${from} ${middle(row)}H${to}`} />;
      })}
      {layout.confluences.map(({ from, to, mask }) => {
        const source = cardsOf(from).at(-1);
        const target = layout.cards.find((c) => c.use.id === to);
        if (!source || !target) return null;
        const x0 = xOf(source.column) + CARD;
        const y0 = middle(source.row);
        const x1 = xOf(target.column) + (mask ? CARD - 12 : -GAP / 2 + 2);
        const y1 = mask ? target.row * size.row + 6 : middle(target.row);
        const bend = Math.max(14, Math.min(60, (x1 - x0) / 2));
        return (
          <path
            key={`${from}-${to}`}
            className={mask ? css.guide : css.brook}
            d={`M${x0 - 4} ${y0}C${x0 + bend} ${y0} ${x1 - (mask ? 0 : bend / 2)} ${y0 + (y1 - y0) * 0.4} ${x1} ${y1}`}
          />
        );
      })}
    </svg>
  );
}

function LineLabel({ id, name, collapsed, size }: { id: string; name: string; collapsed: boolean; size: { card: number; row: number } }) {
  const selected = useTerrain((s) => id !== '' && s.selected === id);
  // As high as the row, so that no card shows beside it; its words in the middle of the cards.
  const frame = { height: size.row + 4, marginTop: -4, paddingTop: 6, paddingBottom: size.row - size.card };
  if (!id)
    return (
      <span className={css.label} style={frame}>
        Stem
      </span>
    );
  return (
    <span className={css.label} style={frame}>
      <button type="button" className={css.lineName} aria-pressed={selected} title={`${name}: its settings`} onClick={() => select(id)}>
        {name}
      </button>
      <button
        type="button"
        className={css.fold}
        aria-label={collapsed ? `Unfold ${name}` : `Fold ${name} into one card`}
        title={collapsed ? 'Unfold' : 'Fold into one card'}
        onClick={() => setTributary(id, collapsed ? 'Unfold' : 'Fold', (t) => void (t.collapsed = !t.collapsed))}
      >
        {collapsed ? <ChevronsLeftRight size={13} /> : <ChevronsRightLeft size={13} />}
      </button>
    </span>
  );
}

/** Where a step can be put in: a button, and a place to drop a card on. */
function Gap({
  line,
  index,
  x,
  height,
  label,
  first,
  reached,
  onAdd,
}: {
  line: string;
  index: number;
  x: number;
  height: number;
  label: string;
  first?: boolean;
  /** The Tab key comes to it. */
  reached: boolean;
  onAdd: (adding: { at: CoursePlace; x: number }) => void;
}) {
  const readOnly = useTerrain((s) => s.readOnly);
  const { setNodeRef, isOver } = useDroppable({ id: `${line}:${index}`, data: { line, index } satisfies CoursePlace });
  return (
    <li ref={setNodeRef} className={`${css.gap} ${isOver ? css.over : ''}`} style={{ left: x, width: GAP, height }}>
      <button
        type="button"
        className={`${css.add} ${first ? css.first : ''}`}
        aria-label={label}
        title={label}
        tabIndex={reached ? 0 : -1}
        disabled={readOnly}
        onClick={(event) => onAdd({ at: { line, index }, x: event.currentTarget.getBoundingClientRect().left })}
      >
        <Plus size={12} /> {first && <span>Add the first step</span>}
      </button>
    </li>
  );
}

function Card({ place, height, hidden, reached, children }: { place: CardPlace; height: number; hidden: number; reached: boolean; children: React.ReactNode }) {
  const tabIndex = reached ? 0 : -1;
  const { use, line, index } = place;
  const selected = useTerrain((s) => s.selected === use.id);
  const standing = useTerrain((s) => s.standing === use.id);
  const stage = useTerrain((s) => s.stages[use.id]);
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
  const title = titleOf(use);
  const said = useTerrain((s) => {
    const words = captionOf(use, s.course!);
    return stage?.fault && !words.startsWith('waits') ? 'cannot be done' : words;
  });
  const masked = use.where.masks.some((m) => m.on);
  const classes = [
    css.card,
    selected && css.selected,
    !use.on && css.off,
    stage?.fault && !said.startsWith('waits') && css.faulty,
    standing && css.standing,
    isDragging && css.dragging,
  ];
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
        <div className={classes.filter(Boolean).join(' ')}>
          <button
            type="button"
            className={css.open}
            data-card={use.id}
            tabIndex={tabIndex}
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
          {masked && <i className={css.masked} title="It acts within a mask" />}
          {hidden > 0 && <span className={`${css.more} number`}>+{hidden}</span>}
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
          <button
            ref={setActivatorNodeRef}
            type="button"
            className={css.grip}
            {...attributes}
            {...listeners}
            tabIndex={tabIndex}
            aria-label={`Move ${title}`}
            title="Drag to move; from the keyboard press Space, arrow keys, Space"
          >
            <GripVertical size={13} />
          </button>
        </div>
      </li>
      {children}
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

/** With a pointer the gap nearest to it is meant, wherever the card was taken hold of; from the keyboard, the one nearest to the card. */
const nearestGap: CollisionDetection = (args) => {
  const at = args.pointerCoordinates;
  return closestCenter(at ? { ...args, collisionRect: { left: at.x, right: at.x, top: at.y, bottom: at.y, width: 0, height: 0 } } : args);
};

/** From the keyboard a dragged card goes from gap to gap, never to the two beside where it stands. */
const toNextGap: KeyboardCoordinateGetter = (event, { active, context }) => {
  const { collisionRect, droppableRects, droppableContainers } = context;
  const [along, across] = [
    event.code === 'ArrowRight' ? 1 : event.code === 'ArrowLeft' ? -1 : 0,
    event.code === 'ArrowDown' ? 1 : event.code === 'ArrowUp' ? -1 : 0,
  ];
  if (!collisionRect || (!along && !across)) return undefined;
  event.preventDefault();
  const own = context.active?.id === active ? (context.active.data.current as CoursePlace | undefined) : undefined;
  const middle = (r: { left: number; top: number; width: number; height: number }) => ({ x: r.left + r.width / 2, y: r.top + r.height / 2 });
  const here = middle(collisionRect);
  let best: { x: number; y: number; away: number } | undefined;
  for (const [id, rect] of droppableRects) {
    const to = droppableContainers.get(id)?.data.current as CoursePlace | undefined;
    if (!to || (own && to.line === own.line && (to.index === own.index || to.index === own.index + 1))) continue;
    const there = middle(rect);
    const [dx, dy] = [there.x - here.x, there.y - here.y];
    const away = along ? (Math.abs(dy) < 24 && dx * along > 4 ? Math.abs(dx) : Infinity) : dy * across > 24 ? Math.abs(dy) * 4 + Math.abs(dx) : Infinity;
    if (away < (best?.away ?? Infinity)) best = { ...there, away };
  }
  return best && { x: best.x - collisionRect.width / 2, y: best.y - collisionRect.height / 2 };
};

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
