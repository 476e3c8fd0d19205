import { badName, CODES, fileNameFor, formatById, tileSides, type Course, type Order, type SampleType } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, Switch, TextField } from '../../components/controls';
import { Part } from '../../components/Facts';
import { figure } from '../../components/format';
import { useEngineQuery } from '../../components/use-engine-query';
import type { OrderCost } from '../../engine/api';
import { engine } from '../../engine/client';
import { TYPE_NAMES } from './names';
import type { PartProps } from './GroundPart';
import css from './ExportRoom.module.css';

type Height = Order['height'];

/** The ranges that files of this terrain came in with, each a press. */
function RangesIn({ course, range, onTake }: { course: Course; range: Order['height']['range']; onTake: (range: { low: number; high: number }) => void }) {
  const found = useEngineQuery(() => engine().rangesIn(course), [course.assets]).value ?? [];
  return found.map(({ name, low, high }) => (
    <Button
      key={name}
      title="The metres that the ends of its codes stood for when it came in"
      aria-pressed={range?.low === low && range.high === high}
      onClick={() => onTake({ low, high })}
    >{`As ${name} came in: ${figure(low, 1)} … ${figure(high, 1)} m`}</Button>
  ));
}

type BlocksRule = Extract<Order['receiver']['heights'], { by: 'blocks' }>;

/** How land comes into a block world, and the ways out where it reaches beyond it. */
function BlocksPart({ rule, order, set, cost }: { rule: BlocksRule; order: Order; set: PartProps['set']; cost: OrderCost | null }) {
  const put = (part: Partial<BlocksRule>) => set({ receiver: { ...order.receiver, heights: { ...rule, ...part } } });
  const beyond = cost?.clipped ?? 0;
  const ways = cost?.waysOut;
  return (
    <Part title="Blocks">
      <Row label="Metres a block">
        <NumberField label="Metres a block" unit="m" value={rule.edge} min={0.01} max={1000} step={0.1} onChange={(edge) => put({ edge })} />
      </Row>
      <Row label="Shifted by" help="Rows that the land lies higher than where its sea meets the world’s water.">
        <NumberField label="Shifted by" unit="rows" value={rule.shift ?? 0} min={-10_000} max={10_000} onChange={(rows) => put({ shift: Math.round(rows) })} />
      </Row>
      <Row label="Shoulders" help="The share of the rows into which land that reaches beyond them is pressed together, instead of being cut off.">
        <NumberField
          label="Shoulders"
          unit="%"
          value={Math.round((rule.shoulders ?? 0) * 100)}
          min={0}
          max={50}
          onChange={(percent) => put({ shoulders: percent / 100 })}
        />
      </Row>
      {cost && beyond > 0 && ways && (
        <>
          <p className={css.caution}>
            {figure(beyond, 0)} samples ({figure((100 * beyond) / (cost.across * cost.down), 1)} %) lie above row {figure(rule.ceiling, 0)} or under row{' '}
            {figure(rule.floor, 0)}, and are cut off. A way out:
          </p>
          <div className={css.offers}>
            {Number.isFinite(ways.edge) && <Button onClick={() => put({ edge: ways.edge })}>{ways.edge} m a block</Button>}
            {ways.shift !== null && ways.shift !== (rule.shift ?? 0) && (
              <Button onClick={() => put({ shift: ways.shift! })}>
                Shift by {ways.shift > 0 ? '+' : '−'}
                {Math.abs(ways.shift)} rows
              </Button>
            )}
            <Button onClick={() => put({ shoulders: ways.shoulders })}>Shoulders of {Math.round(ways.shoulders * 100)} %</Button>
          </div>
        </>
      )}
    </Part>
  );
}

/** The file of heights: format, depth, layout, range, name, tiles. */
export function HeightPart({ course, order, set, cost }: PartProps) {
  const { height, receiver } = order;
  const put = (part: Partial<Height>) => set({ height: { ...height, ...part } });
  const { heights } = receiver;
  if (heights.by === 'print') return <SolidPart rule={heights} cost={cost} />;
  const ranged = (CODES[height.type] && heights.by === 'range') || heights.by === 'unit';
  return (
    <>
      <Part title="Heights">
        <Row label="Write heights">
          <Switch label="Write heights" on={height.on} onChange={(on) => put({ on })} />
        </Row>
        {height.on && (
          <>
            <FormatRows order={order} put={put} cost={cost} />
            <NameRow course={course} order={order} put={put} />
          </>
        )}
      </Part>
      {height.on && ranged && <RangePart course={course} order={order} put={put} cost={cost} />}
      {height.on && heights.by === 'blocks' && <BlocksPart rule={heights} order={order} set={set} cost={cost} />}
      {height.on && heights.by === 'zero' && <ScalePart height={height} put={put} cost={cost} />}
      <TilesPart course={course} order={order} set={set} cost={cost} />
    </>
  );
}

/** What a printed solid comes to. */
function SolidPart({ rule, cost }: { rule: Extract<Order['receiver']['heights'], { by: 'print' }>; cost: OrderCost | null }) {
  return (
    <Part title="Solid">
      <p className={css.note}>
        STL in millimetres, 1 : {rule.scale}, on a base of {rule.base} mm: surface, walls and underside, every edge closed.
      </p>
      {cost?.toTypeIn.map((line) => (
        <Row key={line.label} label={line.label}>
          <span className="number">{line.value}</span>
        </Row>
      ))}
    </Part>
  );
}

type RowProps = Pick<PartProps, 'order' | 'cost'> & { put: (part: Partial<Height>) => void };

/** Format, depth, and how the numbers are laid out. */
function FormatRows({ order: { height, receiver }, put, cost }: RowProps) {
  const types = receiver.formats.find((f) => f.format === height.format)?.types ?? [];
  const codes = CODES[height.type];
  return (
    <>
      <Row label="Format">
        <Select
          label="Format"
          value={height.format}
          choices={Object.fromEntries(receiver.formats.map((f) => [f.format, formatById(f.format).title]))}
          onChange={(format) => {
            const offered = receiver.formats.find((f) => f.format === format)!.types;
            put({ format, type: offered.includes(height.type) ? height.type : offered[0], name: '' });
          }}
        />
      </Row>
      <Row label="Depth">
        <Select
          label="Depth"
          value={height.type}
          choices={Object.fromEntries(types.map((t) => [t, TYPE_NAMES[t]])) as Record<SampleType, string>}
          onChange={(type) => put({ type })}
        />
      </Row>
      {height.format === 'raw' && (
        <>
          <Row label="Byte order">
            <Segments label="Byte order" value={height.order} choices={{ le: 'Little-endian', be: 'Big-endian' }} onChange={(o) => put({ order: o })} />
          </Row>
          <Row label="First row">
            <Segments label="First row" value={height.rows} choices={{ north: 'North', south: 'South' }} onChange={(rows) => put({ rows })} />
          </Row>
        </>
      )}
      {((cost?.holes ?? 0) > 0 || height.noData !== null) && (
        <Row label="No data" help="What samples without a height are written as.">
          <div className={css.inRow}>
            <Switch label="A value for no data" on={height.noData !== null} onChange={(on) => put({ noData: on ? (codes ? codes.min : -9999) : null })} />
            {height.noData !== null && (
              <NumberField label="No-data value" value={height.noData} min={-1e9} max={4_294_967_295} onChange={(noData) => put({ noData })} />
            )}
          </div>
        </Row>
      )}
      {height.format === 'tiff' && (
        <Row label="Packed">
          <Segments label="Packed" value={height.compression} choices={{ none: 'No', deflate: 'Deflate' }} onChange={(compression) => put({ compression })} />
        </Row>
      )}
    </>
  );
}

/** The file's name, and what is wrong with it. */
function NameRow({ course, order, put }: Pick<PartProps, 'course'> & Omit<RowProps, 'cost'>) {
  const { height, receiver } = order;
  const nameFault = height.name ? badName(height.name) : null;
  return (
    <>
      <Row label="File name" help={height.name ? undefined : 'By the receiver’s rule; type another one, or leave it empty.'}>
        <TextField
          label="File name"
          value={height.name}
          empty
          placeholder={fileNameFor(receiver, course.name, order.samples, height.format, height.type)}
          onChange={(name) => put({ name })}
        />
      </Row>
      {nameFault && <p className={css.fault}>{nameFault}</p>}
    </>
  );
}

/** The heights that the ends of the codes stand for; none before it is known what the ground has. */
function RangePart({ course, order, put, cost }: Pick<PartProps, 'course'> & RowProps) {
  const { height, receiver } = order;
  const { by } = receiver.heights;
  const used =
    height.range ?? (cost ? { low: Math.floor(cost.over.lowest), high: Math.max(Math.floor(cost.over.lowest) + 1, Math.ceil(cost.over.highest)) } : null);
  if (!used) return null;
  return (
    <Part title="Range">
      {(
        [
          ['low', by === 'unit' ? 'Value 0' : 'Lowest code', 'Height of the lowest code'],
          ['high', by === 'unit' ? 'Value 1' : 'Highest code', 'Height of the highest code'],
        ] as const
      ).map(([key, label, spoken]) => (
        <Row key={key} label={label}>
          <NumberField
            label={spoken}
            unit="m"
            value={used[key]}
            min={-100_000}
            max={100_000}
            step={0.1}
            onChange={(v) => put({ range: { ...used, [key]: v } })}
          />
        </Row>
      ))}
      <div className={css.offers}>
        <Button disabled={height.range === null} onClick={() => put({ range: null })}>
          Fit to the ground
        </Button>
        <RangesIn course={course} range={height.range} onTake={(range) => put({ range })} />
      </div>
      {order.grounds.length > 1 && height.range === null && (
        <Row label="One range for all" help="The grounds beside it are written on the same range, so that equal codes are equal heights.">
          <Switch label="One range for all" on={height.oneRange} onChange={(oneRange) => put({ oneRange })} />
        </Row>
      )}
      {!(used.high > used.low) && <p className={css.fault}>The upper end has to lie above the lower one.</p>}
    </Part>
  );
}

/** How much higher than life it is written, where heights are counted from a code. */
function ScalePart({ height, put, cost }: Omit<RowProps, 'order'> & { height: Height }) {
  return (
    <Part title="Vertical scale">
      <Row label="As small as fits">
        <Switch
          label="As small as fits"
          on={height.scale === null}
          onChange={(on) => put({ scale: on ? null : Number(cost?.toTypeIn.find((l) => l.label === 'Vertical scale')?.value ?? 1) })}
        />
      </Row>
      {height.scale !== null && (
        <Row label="Scale">
          <NumberField label="Vertical scale" value={height.scale} min={0.0001} max={10_000} step={0.0001} onChange={(scale) => put({ scale })} />
        </Row>
      )}
    </Part>
  );
}

/** Whether it goes out in tiles. */
function TilesPart({ course, order: { receiver, tiles }, set, cost }: PartProps) {
  const sides = tiles && cost ? tileSides({ ground: { ...course.ground, across: cost.across, down: cost.down } }, tiles) : null;
  return (
    <Part title="Tiles">
      <Row label="In tiles">
        <Switch
          label="In tiles"
          on={tiles !== null}
          onChange={(on) => set({ tiles: on ? { across: 2, down: 2, shared: receiver.registration !== 'area', pattern: '{name}_x{x}_y{y}' } : null })}
        />
      </Row>
      {tiles && <TileRows tiles={tiles} sides={sides} set={(part) => set({ tiles: { ...tiles, ...part } })} />}
    </Part>
  );
}

type Tiles = NonNullable<Order['tiles']>;

function TileRows({ tiles, sides, set }: { tiles: Tiles; sides: ReturnType<typeof tileSides> | null; set: (part: Partial<Tiles>) => void }) {
  return (
    <>
      <Row label="Across, down">
        <div className={css.inRow}>
          <NumberField label="Tiles across" value={tiles.across} min={1} max={64} onChange={(across) => set({ across: Math.round(across) })} />
          <NumberField label="Tiles down" value={tiles.down} min={1} max={64} onChange={(down) => set({ down: Math.round(down) })} />
        </div>
      </Row>
      <Row label="Shared edges" help="Neighbours have their outer samples in common.">
        <Switch label="Shared edges" on={tiles.shared} onChange={(shared) => set({ shared })} />
      </Row>
      <Row label="Names" help="{name}, {x} and {y} from 0, {column} and {row} from 1, {south} from the south.">
        <TextField label="Names of tiles" value={tiles.pattern} onChange={(pattern) => set({ pattern: pattern || '{name}_x{x}_y{y}' })} />
      </Row>
      {sides && (
        <p className={typeof sides === 'string' ? css.fault : css.note}>
          {typeof sides === 'string' ? sides : `Each ${sides.across} × ${sides.down} samples.`}
        </p>
      )}
    </>
  );
}
