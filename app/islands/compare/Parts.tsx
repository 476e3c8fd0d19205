import type { PartsReport } from '@upland-cast/core';
import { Part } from '../../components/Facts';
import { figure } from '../../components/format';
import css from './CompareRoom.module.css';

const metres = (v: number) => figure(v, Math.abs(v) < 10 ? 2 : 0);

/** The parts of a mesh: how large each is, where it lies, and what is wrong with them. */
export function Parts({ side, report: { parts, findings } }: { side: 'a' | 'b'; report: PartsReport }) {
  const odd = new Set(findings.flatMap((finding) => finding.parts));
  return (
    <Part title={`Parts of ${side.toUpperCase()}`}>
      {parts.length > 1 &&
        (findings.length === 0 ? (
          <p className={css.note}>All borders meet, and every part is where it belongs.</p>
        ) : (
          <ul className={css.faults}>
            {findings.slice(0, 12).map(({ sentence }) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </ul>
        ))}
      <table className={css.numbers}>
        <thead>
          <tr>
            <th scope="col">Part</th>
            <th scope="col">triangles</th>
            <th scope="col">metres</th>
            <th scope="col">off, rms</th>
          </tr>
        </thead>
        <tbody>
          {parts.slice(0, 64).map(({ name, triangles, width, depth, off }, i) => (
            <tr key={i} className={odd.has(i) ? css.odd : ''}>
              <th scope="row">{name}</th>
              <td className="number">{figure(triangles, 0)}</td>
              <td className="number">
                {metres(width)} × {metres(depth)}
              </td>
              <td className="number">{off ? `${figure(off.rmse, 3)} m` : '–'}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Part>
  );
}
