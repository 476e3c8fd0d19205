import { DndContext, DragOverlay, KeyboardSensor, PointerSensor, useDroppable, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import { ChevronsLeftRight, ChevronsRightLeft, Plus, Waves } from 'lucide-react';
import { useMemo, useRef, useState, type ReactNode } from 'react';
import { findUse } from '@upland-cast/core';
import { figure } from '../../../components/format';
import { addStep, addTributary, moveStep, select, setTributary, type CoursePlace } from '../../../store/course';
import { useLayout } from '../../../store/layout';
import { useTerrain } from '../../../store/state';
import { Card } from './CourseCard';
import { layoutOf, type CourseLayout } from './course-layout';
import { CourseOverview } from './CourseOverview';
import { nearestGap, toNextGap } from './dragging';
import { CARD, COLUMN, GAP, rowSize, titleOf, xOf, type RowSize } from './measures';
import { StepMenu } from './StepMenu';
import { Streams } from './Streams';
import css from './CourseStrip.module.css';

const MOST_ROWS = 4;

/** The course: every line of steps a row of cards with the ground as it stands after each; tributaries flow in from above. */
export function CourseStrip() {
  const course = useTerrain((s) => s.course)!;
  const [adding, setAdding] = useState<Adding | null>(null);
  const [dragged, setDragged] = useState<string | null>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const layout = useMemo(() => layoutOf(course), [course]);
  const size = rowSize(layout.rows.length);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }), useSensor(KeyboardSensor, { coordinateGetter: toNextGap }));
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    setDragged(null);
    const to = over?.data.current as CoursePlace | undefined;
    if (to) moveStep(String(active.id), to);
  };
  const width = xOf(layout.columns) + 20;
  const height = layout.rows.length * size.row + 8;
  const strip = useLayout((s) => s.strip);
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
            {layout.rows.map((line, row) => (
              <LineRow key={line.id} line={line} row={row} size={size} layout={layout} onAdd={setAdding} />
            ))}
          </div>
          <DragOverlay dropAnimation={null}>{draggedUse && <div className={css.ghost}>{titleOf(draggedUse)}</div>}</DragOverlay>
        </DndContext>
      </div>
      <Side>
        <CourseOverview layout={layout} scroller={scroller} width={width} height={height} column={COLUMN} row={size.row} />
      </Side>
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

/** Where a step is being put in, and where the menu opens for it. */
interface Adding {
  at: CoursePlace;
  x: number;
}

interface LineRowProps {
  line: CourseLayout['rows'][number];
  row: number;
  size: RowSize;
  layout: CourseLayout;
  onAdd: (adding: Adding) => void;
}

function LineRow({ line, row, size, layout, onAdd }: LineRowProps) {
  const collapsed = useTerrain((s) => Boolean(s.course!.tributaries.find((t) => t.id === line.id)?.collapsed));
  const roving = useRoving(layout);
  const cards = layout.cards.filter((c) => c.line === line.id);
  const small = collapsed && cards.length > 1;
  return (
    <div className={css.row} style={{ top: row * size.row + 4, height: size.row }}>
      <LineLabel id={line.id} name={line.name} collapsed={collapsed} size={size} />
      <ol className={css.cards} aria-label={line.id ? `Tributary ${line.name}` : 'Stem'}>
        {!small && (
          <Gap
            line={line.id}
            index={0}
            x={(cards.length ? xOf(cards[0].column) : xOf(0)) - GAP}
            height={size.card}
            label={cards.length ? `Add a step before ${titleOf(cards[0].use)}` : 'Add the first step'}
            onAdd={onAdd}
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
                onAdd={onAdd}
                reached={place.use.id === roving}
              />
            )}
          </Card>
        ))}
      </ol>
    </div>
  );
}

/** Beside the lines: another tributary, all of them in small, and what the course comes to. */
function Side({ children }: { children: ReactNode }) {
  const { name, ground } = useTerrain((s) => s.course)!;
  const picture = useTerrain((s) => s.picture);
  const readOnly = useTerrain((s) => s.readOnly);
  return (
    <div className={css.side}>
      <button type="button" className={css.newLine} disabled={readOnly} onClick={() => addTributary()}>
        <Waves size={13} /> Tributary
      </button>
      {children}
      <div className={css.end}>
        <b>{name}</b>
        <span className="number">{picture ? `${figure(picture.statistics.lowest, 1)} – ${figure(picture.statistics.highest, 1)} m` : '…'}</span>
        <span className="number">
          {ground.across === ground.down ? `${ground.across}²` : `${ground.across} × ${ground.down}`} · 32 f{picture?.preview ? ' · preview' : ''}
        </span>
      </div>
    </div>
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

function LineLabel({ id, name, collapsed, size }: { id: string; name: string; collapsed: boolean; size: RowSize }) {
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

interface GapProps {
  line: string;
  index: number;
  x: number;
  height: number;
  label: string;
  first?: boolean;
  /** The Tab key comes to it. */
  reached: boolean;
  onAdd: (adding: Adding) => void;
}

/** Where a step can be put in: a button, and a place to drop a card on. */
function Gap({ line, index, x, height, label, first, reached, onAdd }: GapProps) {
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
