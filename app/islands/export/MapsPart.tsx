import type { ReactNode } from 'react';
import { Eye, Trash2 } from 'lucide-react';
import { allUses, mapSchema, MAPS, stepById, type Course, type MapSpec, type Order, type StepUse } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, Switch } from '../../components/controls';
import { Part } from '../../components/Facts';
import css from './ExportRoom.module.css';

const DEPTHS = { '8': '8-bit', '16': '16-bit', '32f': 'Float' } as const;

interface MapsPartProps {
  course: Course;
  order: Order;
  layers: string[];
  set: (part: Partial<Order>) => void;
  shown: number;
  onShow: (index: number) => void;
}

/** Where a layer can be taken: at the end of the course, or after a step of its stem. */
export const placesOfLayers = (course: Course): Record<string, string> => ({
  '': 'At the end of the course',
  ...Object.fromEntries(course.stem.filter((use) => use.on).map((use) => [use.id, `After ${use.name || stepById(use.step).title}`])),
});

/** Maps that go with the heights, each with its settings; one of them lies over the ground. */
export function MapsPart({ course, order, layers, set, shown, onShow }: MapsPartProps) {
  const masked = allUses(course).filter((use) => use.on && use.where.masks.some((m) => m.on));
  const add = (kind: MapSpec['kind']) => {
    const begun: Record<string, unknown> = { kind };
    if (kind === 'layer') begun.layer = layers[0] ?? 'cut';
    if (kind === 'mask') begun.use = masked[0]?.id ?? '';
    if (kind === 'normal') begun.green = order.receiver.green;
    set({ maps: [...order.maps, mapSchema.parse(begun)] });
    onShow(order.maps.length);
  };
  const leave = (index: number) => {
    set({ maps: order.maps.filter((_, k) => k !== index) });
    onShow(-1);
  };
  return (
    <Part title="Maps">
      <ul className={css.maps}>
        {order.maps.map((map, i) => (
          <li key={i} className={i === shown ? css.shown : ''}>
            <MapHead map={map} shown={i === shown} onShow={() => onShow(i === shown ? -1 : i)} onLeave={() => leave(i)} />
            <p className={css.note}>{MAPS[map.kind].summary}</p>
            <MapSettings
              map={map}
              course={course}
              layers={layers}
              masked={masked}
              change={(part) => set({ maps: order.maps.map((m, k) => (k === i ? ({ ...m, ...part } as MapSpec) : m)) })}
            />
          </li>
        ))}
      </ul>
      {order.maps.length > 0 && <WrittenAs as={order.mapsAs} set={(part) => set({ mapsAs: { ...order.mapsAs, ...part } })} />}
      <select className={css.addMap} aria-label="Add a map" value="" onChange={(event) => event.target.value && add(event.target.value as MapSpec['kind'])}>
        <option value="">Add a map …</option>
        {Object.entries(MAPS)
          .filter(([kind]) => (kind !== 'layer' || layers.length > 0) && (kind !== 'mask' || masked.length > 0))
          .map(([kind, { title, summary }]) => (
            <option key={kind} value={kind}>
              {title}: {summary}
            </option>
          ))}
      </select>
    </Part>
  );
}

/** A map's name, whether it lies over the ground, and a way to leave it out. */
function MapHead({ map, shown, onShow, onLeave }: { map: MapSpec; shown: boolean; onShow: () => void; onLeave: () => void }) {
  return (
    <div className={css.mapHead}>
      <b title={MAPS[map.kind].summary}>{MAPS[map.kind].title}</b>
      <Button look="quiet" square aria-pressed={shown} aria-label={`Show ${MAPS[map.kind].title}`} title="Lay it over the ground" onClick={onShow}>
        <Eye size={13} />
      </Button>
      <Button look="quiet" square aria-label={`Leave ${MAPS[map.kind].title} out`} title="Leave it out" onClick={onLeave}>
        <Trash2 size={13} />
      </Button>
    </div>
  );
}

interface MapSettingsProps {
  map: MapSpec;
  course: Course;
  layers: string[];
  /** Steps that have a mask. */
  masked: StepUse[];
  change: (part: object) => void;
}

/** What can be set of a map, by its kind, and how deep its samples are. */
function MapSettings(props: MapSettingsProps) {
  const { map, change } = props;
  return (
    <>
      {settingsOfKind(props)}
      {'bits' in map && (
        <Row label="Depth">
          <Segments
            label="Depth"
            value={String(map.bits) as '8' | '16'}
            choices={{ '8': '8-bit', '16': '16-bit' }}
            onChange={(bits) => change({ bits: Number(bits) })}
          />
        </Row>
      )}
      {'depth' in map && (
        <Row label="Depth">
          <Segments label="Depth" value={map.depth} choices={DEPTHS} onChange={(depth) => change({ depth })} />
        </Row>
      )}
    </>
  );
}

function settingsOfKind({ map, course, layers, masked, change }: MapSettingsProps): ReactNode {
  switch (map.kind) {
    case 'layer':
      return <LayerSettings {...{ map, course, layers, change }} />;
    case 'mask':
      return (
        <Row label="Step">
          <Select
            label="Step"
            value={map.use}
            choices={Object.fromEntries(masked.map((u) => [u.id, u.name || stepById(u.step).title]))}
            onChange={(use) => change({ use })}
          />
        </Row>
      );
    case 'curvature':
      return (
        <>
          <Row label="Measured">
            <Segments label="Measured" value={map.way} choices={{ mean: 'Both ways', profile: 'Down', plan: 'Along' }} onChange={(way) => change({ way })} />
          </Row>
          <Row label="Size" help="Detail smaller than this does not count.">
            <NumberField label="Curvature size" unit="m" value={map.size} min={0} max={2_000} onChange={(size) => change({ size })} />
          </Row>
        </>
      );
    case 'ambient':
      return (
        <Row label="Directions">
          <NumberField label="Directions" value={map.directions} min={4} max={64} onChange={(directions) => change({ directions: Math.round(directions) })} />
        </Row>
      );
    case 'height':
      return (
        <Row label="Equalised">
          <Switch label="Equalised" on={map.equalised} onChange={(equalised) => change({ equalised })} />
        </Row>
      );
    case 'normal':
      return <NormalSettings {...{ map, change }} />;
    default:
      return null;
  }
}

type OfKind<Kind extends MapSpec['kind']> = { map: Extract<MapSpec, { kind: Kind }> } & Pick<MapSettingsProps, 'change'>;

function LayerSettings({ map, course, layers, change }: OfKind<'layer'> & Pick<MapSettingsProps, 'course' | 'layers'>) {
  return (
    <>
      <Row label="Layer">
        <Select
          label="Layer"
          value={map.layer}
          choices={Object.fromEntries([...new Set([...layers, map.layer])].map((l) => [l, l[0].toUpperCase() + l.slice(1)]))}
          onChange={(layer) => change({ layer })}
        />
      </Row>
      <Row label="Taken">
        <Select label="Taken" value={map.after} choices={placesOfLayers(course)} onChange={(after) => change({ after })} />
      </Row>
    </>
  );
}

function NormalSettings({ map, change }: OfKind<'normal'>) {
  return (
    <>
      <Row label="Space">
        <Select
          label="Space"
          value={map.space}
          choices={{ tangent: 'Tangent', 'world-y': 'World, y up', 'world-z': 'World, z up' }}
          onChange={(space) => change({ space })}
        />
      </Row>
      {map.space === 'tangent' && (
        <Row label="Green">
          <Segments label="Green" value={map.green} choices={{ up: '+Y up', down: '+Y down' }} onChange={(green) => change({ green })} />
        </Row>
      )}
    </>
  );
}

/** The files that maps are written as. */
function WrittenAs({ as, set }: { as: Order['mapsAs']; set: (part: Partial<Order['mapsAs']>) => void }) {
  return (
    <>
      <Row label="Written as" help="Floats have no PNG and become TIFF.">
        <Segments label="Maps as" value={as.format} choices={{ png: 'PNG', tiff: 'TIFF', raw: 'Raw' }} onChange={(format) => set({ format })} />
      </Row>
      {as.format === 'raw' && (
        <>
          <Row label="Byte order">
            <Segments
              label="Byte order of maps"
              value={as.order}
              choices={{ le: 'Little-endian', be: 'Big-endian' }}
              onChange={(byteOrder) => set({ order: byteOrder })}
            />
          </Row>
          <Row label="First row">
            <Segments label="First row of maps" value={as.rows} choices={{ north: 'North', south: 'South' }} onChange={(rows) => set({ rows })} />
          </Row>
        </>
      )}
    </>
  );
}
