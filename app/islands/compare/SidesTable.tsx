import css from './CompareRoom.module.css';

/** Figures of both sides beside each other. */
export function SidesTable({ rows }: { rows: [name: string, a: string, b: string][] }) {
  return (
    <table className={css.numbers}>
      <thead>
        <tr>
          <th scope="col">
            <span className="only-read">Figure</span>
          </th>
          <th scope="col">A</th>
          <th scope="col">B</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, a, b]) => (
          <tr key={name}>
            <th scope="row">{name}</th>
            <td className="number">{a}</td>
            <td className="number">{b}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
