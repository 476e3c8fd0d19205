import { MapPinPlus, Trash2 } from 'lucide-react';
import { Button, TextField } from '../../../components/controls';
import { figure } from '../../../components/format';
import { elevationAt, removeSpot, setSpot } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import css from './SpotsPanel.module.css';

/** The watched places: how high each is now, and what the latest change did to it. */
export function SpotsPanel() {
  const spots = useTerrain((s) => s.course!.spots);
  const before = useTerrain((s) => s.spotsBefore);
  const tool = useTerrain((s) => s.tool);
  const readOnly = useTerrain((s) => s.readOnly);
  useTerrain((s) => s.picture);
  const placing = tool === 'spot';
  return (
    <section className={css.panel} aria-label="Spots">
      {spots.length > 0 && (
        <table>
          <thead>
            <tr>
              <th>Spot</th>
              <th>now</th>
              <th>change</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {spots.map((spot) => {
              const now = elevationAt(spot.east, spot.south);
              const by = now !== null && Number.isFinite(before[spot.id]) ? now - before[spot.id] : null;
              return (
                <tr key={spot.id}>
                  <td>
                    <TextField
                      label={`Name of ${spot.name}`}
                      value={spot.name}
                      disabled={readOnly}
                      onChange={(name) => setSpot(spot.id, (s) => void (s.name = name.slice(0, 80)))}
                    />
                  </td>
                  <td className="number">{now === null ? '–' : `${figure(now, 1)} m`}</td>
                  <td className="number">{by === null ? '–' : `${by > 0 ? '+' : ''}${figure(by, 1)} m`}</td>
                  <td>
                    <Button look="quiet" square aria-label={`Take ${spot.name} away`} disabled={readOnly} onClick={() => removeSpot(spot.id)}>
                      <Trash2 size={13} />
                    </Button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {spots.length === 0 && <p>Named places whose heights you watch while you work.</p>}
      <Button disabled={readOnly} aria-pressed={placing} onClick={() => useTerrain.setState({ tool: placing ? 'none' : 'spot' })}>
        <MapPinPlus size={13} /> {placing ? 'Click on the ground …' : 'Add a spot'}
      </Button>
    </section>
  );
}
