import { Button, NumberField, Row, Segments } from '../../components/controls';
import { SwitchRow } from '../../components/SettingRow';
import { metres } from '../../components/format';
import type { Extent, PressResult } from '../../engine/api';
import type { PressSettings } from './pressing';
import css from './MeshRoom.module.css';

interface Props {
  settings: PressSettings;
  /** What was pressed last. */
  result: PressResult | null;
  /** Metres from west to east of the terrain. */
  groundWidth: number;
  onChange: (settings: PressSettings) => void;
}

/** How a mesh is pressed: which way is up, how large it is, what of it counts, and where samples lie. */
export function PressRows(props: Props) {
  const { settings, result, onChange } = props;
  const set = (part: Partial<PressSettings>) => onChange({ ...settings, ...part });
  return (
    <>
      <Row label="Up">
        <Segments
          label="Up"
          value={settings.up}
          choices={{ found: result ? `Found: ${result.up.toUpperCase()}` : 'As found', y: 'Y', z: 'Z' }}
          onChange={(up) => set({ up })}
        />
      </Row>
      <SizeRows {...props} />
      {!settings.against && <LandRows {...props} />}
      <SwitchRow
        label="Smooth between its corners"
        words="Smooth between its corners: the facets go, the corners stay"
        on={settings.smooth}
        onChange={(smooth) => set({ smooth })}
      />
      <Row label="Holes" help="Filled so that the ground around them goes on. All: also around the mesh, where it does not reach the corners.">
        <Segments label="Holes" value={settings.fill} choices={{ none: 'Left', inside: 'Fill inside', all: 'Fill all' }} onChange={(fill) => set({ fill })} />
      </Row>
      <SwitchRow
        label="Hold it against this terrain"
        words="Take heights from it at this terrain’s samples, and hold them against the ground"
        on={settings.against}
        onChange={(against) => set({ against })}
      />
    </>
  );
}

function SizeRows({ settings, result, groundWidth, onChange }: Props) {
  const { scaling, width, factor } = settings;
  const set = (part: Partial<PressSettings>) => onChange({ ...settings, ...part });
  return (
    <>
      <Row label="Size" help="As it is: its own units are metres, times a factor. The aspect is kept.">
        <Segments
          label="Size"
          value={scaling}
          choices={{ own: 'As it is', width: 'Width', ground: 'Like this ground' }}
          onChange={(by) => set({ scaling: by })}
        />
      </Row>
      {scaling === 'width' && (
        <Row label="Width">
          <NumberField label="Width of the mesh" value={width} unit="m" min={0.01} max={1e7} step={0.1} onChange={(wide) => set({ width: wide })} />
        </Row>
      )}
      {scaling === 'own' && (
        <Row label="Metres a unit">
          <NumberField label="Metres a unit" value={factor} min={1e-6} max={1e6} step={0.0001} onChange={(by) => set({ factor: by })} />
        </Row>
      )}
      {result && scaling === 'own' && <UnitHint own={result.own.width * factor} ground={groundWidth} onFactor={(by) => set({ factor: factor * by })} />}
    </>
  );
}

function LandRows({ settings, result, onChange }: Props) {
  const { extent, registration } = settings;
  const set = (part: Partial<PressSettings>) => onChange({ ...settings, ...part });
  return (
    <>
      <Row label="Land" help="What of the mesh is pressed, in metres east and south of its origin. Beyond the mesh there are holes.">
        <Segments
          label="Land"
          value={extent ? 'typed' : 'whole'}
          choices={{ whole: 'The whole mesh', typed: 'An extent' }}
          onChange={(which) => set({ extent: which === 'typed' && result ? result.plan : null })}
        />
      </Row>
      {extent && <ExtentRows extent={extent} onChange={(typed) => set({ extent: typed })} />}
      <Row
        label="Samples"
        help="On the edge: the outer ones lie on the border of the land. Middles of cells: they lie half a cell inside it, as survey files have them."
      >
        <Segments
          label="Where samples lie"
          value={registration}
          choices={{ point: 'On the edge', area: 'Middles of cells' }}
          onChange={(where) => set({ registration: where })}
        />
      </Row>
    </>
  );
}

const EDGES = { west: 'West', east: 'East', north: 'North', south: 'South' } as const;

/** The four edges of the land that is pressed. */
function ExtentRows({ extent, onChange }: { extent: Extent; onChange: (extent: Extent) => void }) {
  return (
    <>
      {(Object.keys(EDGES) as (keyof Extent)[]).map((edge) => (
        <Row key={edge} label={EDGES[edge]}>
          <NumberField
            label={`${EDGES[edge]} edge`}
            value={extent[edge]}
            unit="m"
            min={-1e7}
            max={1e7}
            step={0.1}
            onChange={(at) => onChange({ ...extent, [edge]: at })}
          />
        </Row>
      ))}
    </>
  );
}

/** A unit may have been mistaken: kilometres, centimetres or millimetres taken for metres. */
function UnitHint({ own, ground, onFactor }: { own: number; ground: number; onFactor: (by: number) => void }) {
  const ratio = own / ground;
  const found = (
    [
      [1000, 'kilometres', 1e-3],
      [0.01, 'centimetres', 100],
      [0.001, 'millimetres', 1000],
    ] as const
  ).find(([, , at]) => ratio > at / 4 && ratio < at * 4);
  if (!found) return null;
  const [by, unit] = found;
  return (
    <p className={css.note} role="status">
      It is {metres(own)} wide and this ground {metres(ground)}: its units may be {unit}. <Button onClick={() => onFactor(by)}>Read it so</Button>
    </p>
  );
}
