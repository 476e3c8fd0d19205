import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import { horizontalListSortingStrategy, SortableContext, sortableKeyboardCoordinates, useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { GripVertical, Plus } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { settingsOf, stepById, steps, type Family, type StepUse } from '@upland-cast/core';
import { figure } from '../../components/format';
import { addStep, moveStep, removeStep, select, setUse, useTerrain } from '../../store/terrain';
import css from './CourseStrip.module.css';

/** The course: a card for every step with the ground as it stands after it, and between the cards a way in for others. */
export function CourseStrip() {
  const course = useTerrain((s) => s.course)!;
  const picture = useTerrain((s) => s.picture);
  const [adding, setAdding] = useState<{ after: string | null; x: number } | null>(null);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    if (over && active.id !== over.id)
      moveStep(
        String(active.id),
        course.stem.findIndex((s) => s.id === over.id),
      );
  };
  const open = (after: string | null) => (event: React.MouseEvent) => setAdding({ after, x: event.currentTarget.getBoundingClientRect().left });
  const { ground } = course;
  return (
    <section className={css.course} aria-label="Course">
      <span className={css.title}>Stem</span>
      <div className={css.line}>
        <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={onDragEnd}>
          <SortableContext items={course.stem.map((s) => s.id)} strategy={horizontalListSortingStrategy}>
            <ol className={css.cards}>
              {course.stem.length > 0 && <AddButton label={`Add a step before ${titleOf(course.stem[0])}`} onClick={open('')} />}
              {course.stem.map((use) => (
                <Card key={use.id} use={use} onAdd={open(use.id)} />
              ))}
              {course.stem.length === 0 && (
                <li>
                  <button type="button" className={css.first} onClick={open(null)}>
                    <Plus size={16} /> Add the first step
                  </button>
                </li>
              )}
            </ol>
          </SortableContext>
        </DndContext>
        <div className={css.end}>
          <b>{course.name}</b>
          <span className="number">{picture ? `${figure(picture.statistics.lowest, 1)} – ${figure(picture.statistics.highest, 1)} m` : '…'}</span>
          <span className="number">
            {ground.across === ground.down ? `${ground.across}²` : `${ground.across} × ${ground.down}`} · 32 f{picture?.preview ? ' · preview' : ''}
          </span>
        </div>
      </div>
      {adding && <StepMenu x={adding.x} onClose={() => setAdding(null)} onPick={(id) => addStep(id, adding.after)} />}
    </section>
  );
}

const titleOf = (use: StepUse) => use.name || stepById(use.step).title;

function AddButton({ label, onClick }: { label: string; onClick: (event: React.MouseEvent) => void }) {
  return (
    <li className={css.gap}>
      <button type="button" className={css.add} aria-label={label} title={label} onClick={onClick}>
        <Plus size={12} />
      </button>
    </li>
  );
}

function Card({ use, onAdd }: { use: StepUse; onAdd: (event: React.MouseEvent) => void }) {
  const selected = useTerrain((s) => s.selected === use.id);
  const stage = useTerrain((s) => s.stages[use.id]);
  const readOnly = useTerrain((s) => s.readOnly);
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({ id: use.id, disabled: readOnly });
  const title = titleOf(use);
  return (
    <>
      <li ref={setNodeRef} className={isDragging ? css.dragging : ''} style={{ transform: CSS.Translate.toString(transform), transition }}>
        <div className={`${css.card} ${selected ? css.selected : ''} ${use.on ? '' : css.off} ${stage?.fault ? css.faulty : ''}`}>
          <button
            type="button"
            className={css.open}
            aria-pressed={selected}
            aria-label={`${title}, ${caption(use)}${stage?.fault ? ', cannot be done' : ''}`}
            onClick={() => select(use.id)}
            onKeyDown={(event) => {
              if (event.key === 'Delete' && !readOnly) removeStep(use.id);
              else if (event.key === 'ArrowLeft' || event.key === 'ArrowRight') neighbour(event, event.key === 'ArrowRight' ? 1 : -1);
            }}
          >
            <Relief stageKey={stage?.key} />
            <span className={css.text}>
              <b>{title}</b>
              <span className="number">{stage?.fault ? 'cannot be done' : caption(use)}</span>
            </span>
          </button>
          <button
            type="button"
            className={css.dot}
            role="switch"
            aria-checked={use.on}
            aria-label={`${title} is on`}
            title={use.on ? 'Switch off' : 'Switch on'}
            disabled={readOnly}
            onClick={() => setUse(use.id, use.on ? 'Switch off' : 'Switch on', (u) => void (u.on = !u.on))}
          />
          <button
            ref={setActivatorNodeRef}
            type="button"
            className={css.grip}
            {...attributes}
            {...listeners}
            aria-label={`Move ${title}`}
            title="Drag to move; from the keyboard press Space, arrow keys, Space"
          >
            <GripVertical size={13} />
          </button>
        </div>
      </li>
      <AddButton label={`Add a step after ${title}`} onClick={onAdd} />
    </>
  );
}

function neighbour(event: React.KeyboardEvent<HTMLButtonElement>, by: number): void {
  const cards = [...event.currentTarget.closest('ol')!.querySelectorAll<HTMLButtonElement>('button[aria-pressed]')];
  const next = cards[cards.indexOf(event.currentTarget) + by];
  if (next) {
    event.preventDefault();
    next.focus();
    next.click();
  }
}

function caption(use: StepUse): string {
  if (!use.on) return 'off';
  try {
    return stepById(use.step).caption(settingsOf(use) as never);
  } catch {
    return '';
  }
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

const FAMILIES: Record<Family, string> = { source: 'Source', shape: 'Shape', weather: 'Weather', hand: 'Hand', range: 'Range' };

function StepMenu({ x, onClose, onPick }: { x: number; onClose: () => void; onPick: (id: string) => void }) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    box.current?.querySelector('button')?.focus();
    const away = (event: PointerEvent) => {
      if (!box.current?.contains(event.target as Node)) onClose();
    };
    document.addEventListener('pointerdown', away);
    return () => document.removeEventListener('pointerdown', away);
  }, [onClose]);
  return (
    <div
      ref={box}
      className={css.menu}
      style={{ left: Math.max(8, Math.min(x - 120, window.innerWidth - 350)) }}
      role="menu"
      aria-label="Add a step"
      onKeyDown={(event) => {
        const items = [...box.current!.querySelectorAll('button')];
        const at = items.indexOf(document.activeElement as HTMLButtonElement);
        if (event.key === 'Escape') onClose();
        else if (event.key === 'ArrowDown') items[(at + 1) % items.length].focus();
        else if (event.key === 'ArrowUp') items[(at + items.length - 1) % items.length].focus();
        else return;
        event.preventDefault();
      }}
    >
      {steps.map((step) => (
        <button
          key={step.id}
          type="button"
          role="menuitem"
          onClick={() => {
            onPick(step.id);
            onClose();
          }}
        >
          <b>{step.title}</b>
          <i>{FAMILIES[step.family]}</i>
          <span>{step.summary}</span>
        </button>
      ))}
    </div>
  );
}
