import { useEffect, useRef, useState } from 'react';
import { allUses, spacingOf, stepById, type Compared, type Course, type Ground } from '@upland-cast/core';
import { clock, figure } from '../../components/format';
import type { SideFacts } from '../../engine/api';
import { db } from '../../storage/db';
import { pastSaves } from '../../storage/terrains';
import { marksOf } from '../../store/keeping';
import { useTerrain } from '../../store/state';
import css from './CompareRoom.module.css';

interface Group {
  title: string;
  choices: [Compared, string][];
}

const titleOf = (step: string) => {
  try {
    return stepById(step).title;
  } catch {
    return step;
  }
};

/** What a side can be, in groups. */
async function groupsOf(course: Course, terrain: string): Promise<Group[]> {
  const [marks, saves, terrains] = await Promise.all([marksOf(terrain), pastSaves(terrain).catch(() => []), db.terrains.toArray().catch(() => [])]);
  return [
    {
      title: 'After a step',
      choices: allUses(course)
        .filter((use) => use.on)
        .map((use) => [{ kind: 'step', id: use.id }, `After ${use.name || titleOf(use.step)}`]),
    },
    { title: 'Tributaries', choices: course.tributaries.map(({ id, name }) => [{ kind: 'tributary', id }, name]) },
    { title: 'Marks', choices: marks.map(({ id, name }) => [{ kind: 'mark', id: id! }, name]) },
    { title: 'Rolls', choices: course.wholeRolls.map(({ number }) => [{ kind: 'roll', number }, number === 0 ? 'As it began' : `Roll ${number}`]) },
    { title: 'Past saves', choices: saves.slice(0, 20).map(({ at }) => [{ kind: 'save', at }, `Saved ${new Date(at).toLocaleDateString()} ${clock(at)}`]) },
    { title: 'Other terrains', choices: terrains.filter(({ id }) => id !== terrain).map(({ id, course: other }) => [{ kind: 'terrain', id }, other.name]) },
  ];
}

const FILE = 'file';

interface SideCardProps {
  side: 'a' | 'b';
  value: Compared;
  ground?: Ground;
  facts?: SideFacts;
  onChange: (to: Compared) => void;
  onFiles: (files: File[]) => void;
}

/** One side: what it is, how many samples it has, and what else it can be. */
export function SideCard({ side, value, ground, facts, onChange, onFiles }: SideCardProps) {
  const chooser = useRef<HTMLInputElement>(null);
  const letter = side.toUpperCase();
  const chooseFile = () => chooser.current?.click();
  return (
    <div
      className={css.side}
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        if (event.dataTransfer.files.length) onFiles([...event.dataTransfer.files]);
      }}
    >
      <b className={side === 'a' ? css.letterA : css.letterB}>{letter}</b>
      <div>
        <SideSelect letter={letter} value={value} onChange={onChange} onFile={chooseFile} />
        <span className={`number ${css.size}`}>
          {ground ? sizeOf(ground) : '…'}
          {facts?.codes && <span> · {inCodes(facts.codes)}</span>}
        </span>
      </div>
      {value.kind === 'file' && (
        <button type="button" className={css.again} onClick={chooseFile}>
          Choose another
        </button>
      )}
      <input
        ref={chooser}
        type="file"
        multiple
        hidden
        aria-label={`File for side ${letter}`}
        onChange={(event) => {
          if (event.target.files?.length) onFiles([...event.target.files]);
          event.target.value = '';
        }}
      />
    </div>
  );
}

/** All that a side can be. */
function SideSelect({ letter, value, onChange, onFile }: { letter: string; value: Compared; onChange: (to: Compared) => void; onFile: () => void }) {
  const course = useTerrain((s) => s.course)!;
  const terrain = useTerrain((s) => s.id)!;
  const [groups, setGroups] = useState<Group[]>([]);
  useEffect(() => {
    let gone = false;
    void groupsOf(course, terrain).then((found) => !gone && setGroups(found));
    return () => void (gone = true);
  }, [course, terrain]);
  const key = JSON.stringify(value);
  const now = JSON.stringify({ kind: 'now' });
  const known = key === now || groups.some(({ choices }) => choices.some(([one]) => JSON.stringify(one) === key));
  return (
    <select
      aria-label={`Side ${letter}`}
      value={value.kind === 'file' ? FILE : key}
      onChange={(event) => {
        if (event.target.value === FILE) onFile();
        else onChange(JSON.parse(event.target.value) as Compared);
      }}
    >
      <option value={now}>Now, end of the course</option>
      {value.kind !== 'file' && !known && <option value={key}>What was chosen before</option>}
      {groups
        .filter(({ choices }) => choices.length > 0)
        .map(({ title, choices }) => (
          <optgroup key={title} label={title}>
            {choices.map(([one, name]) => (
              <option key={JSON.stringify(one)} value={JSON.stringify(one)}>
                {name}
              </option>
            ))}
          </optgroup>
        ))}
      <option value={FILE}>{value.kind === 'file' ? value.name : 'A file …'}</option>
    </select>
  );
}

/** How a file stores its heights: the codes that it uses, and what one of them stands for. */
const inCodes = ({ type, lowest, highest, metresACode }: NonNullable<SideFacts['codes']>) =>
  `${type.slice(1)} bit, codes ${figure(lowest, 0)} to ${figure(highest, 0)}${metresACode === null ? '' : `, ${Number(metresACode.toPrecision(4))} m a code`}`;

function sizeOf(ground: Ground): string {
  const { x } = spacingOf(ground);
  const size = ground.across === ground.down ? `${figure(ground.across, 0)}²` : `${figure(ground.across, 0)} × ${figure(ground.down, 0)}`;
  return `${size} · ${Number(x.toPrecision(4))} m`;
}
