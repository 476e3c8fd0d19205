import { useState } from 'react';
import {
  allUses,
  badName,
  CODES,
  fileNameFor,
  samplingWords,
  formatById,
  sizesOfReceiver,
  spacingOf,
  stepById,
  tileSides,
  whyReceiverRefuses,
  type Course,
  type Order,
  type SampleType,
  type SizeOffer,
  type Source,
} from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, Switch, TextField } from '../../components/controls';
import { Part } from '../../components/Facts';
import { figure } from '../../components/format';
import type { OrderCost } from '../../engine/api';
import { engine } from '../../engine/client';
import { useEngineQuery } from '../../components/use-engine-query';
import { WhenAsked } from '../../components/WhenAsked';
import { TYPE_NAMES } from './names';
import css from './ExportRoom.module.css';

interface PartProps {
  course: Course;
  order: Order;
  set: (part: Partial<Order>) => void;
  cost: OrderCost | null;
}

/** How an offer's count comes about. */
const makeUp = ({ patching }: SizeOffer) => (patching ? `${patching.patches} × ${patching.split} × ${patching.faces} + 1` : '');

/** How far the ground at these samples lies from the one that is seen: measured at once where it is resampled, when asked where it is worked out again. */
function SamplingWords({ course, order, cost }: { course: Course; order: Order; cost: OrderCost }) {
  const { how, report } = cost.sampling!;
  // What is resampled is measured with the cost, and not asked for beside it.
  if (how !== 'worked' && !report) return null;
  return (
    <WhenAsked
      about={JSON.stringify([order.samples, order.receiver.id, order.frame, order.grounds[0]])}
      depends={[course]}
      invitation="Worked out again it differs from the ground you see; the docket will say by how much."
      button="Measure now"
      known={report}
      measure={() => engine().distanceOfOrder(course, order)}
      words={(found) => samplingWords(found, { across: cost.across, down: cost.down })}
    />
  );
}

/** Which ground, which part of it, and at how many samples. */
export function GroundPart({ course, order, set, cost }: PartProps) {
  const offers = sizesOfReceiver(order.receiver, course.ground);
  const [typed, setTyped] = useState(false);
  const free = order.receiver.sizes.kind === 'any';
  const choices: Record<string, string> = { end: 'The end of the course', calibration: 'The calibration ground' };
  for (const use of allUses(course)) if (use.on) choices[`step ${use.id}`] = `After ${use.name || stepById(use.step).title}`;
  for (const line of course.tributaries) choices[`tributary ${line.id}`] = `Tributary ${line.name}`;
  const keyOf = (source: Source) => ('id' in source ? `${source.kind} ${source.id}` : source.kind);
  const sourceOf = (key: string): Source => {
    const [kind, ...rest] = key.split(' ');
    return (rest.length ? { kind, id: rest.join(' ') } : { kind }) as Source;
  };
  const [first, ...others] = order.grounds;
  const refused = whyReceiverRefuses(order.receiver, order.samples);
  const offer = offers.find((o) => o.samples === order.samples);
  const own = Math.max(course.ground.across, course.ground.down);
  return (
    <Part title="Ground">
      <Row label="Ground">
        <Select label="Ground" value={keyOf(first)} choices={choices} onChange={(key) => set({ grounds: [sourceOf(key), ...others] })} />
      </Row>
      {others.map((source, i) => (
        <Row key={i} label="And beside it">
          <div className={css.inRow}>
            <Select
              label="And beside it"
              value={keyOf(source)}
              choices={choices}
              onChange={(key) => set({ grounds: order.grounds.map((g, k) => (k === i + 1 ? sourceOf(key) : g)) })}
            />
            <Button look="quiet" onClick={() => set({ grounds: order.grounds.filter((_, k) => k !== i + 1) })}>
              Remove
            </Button>
          </div>
        </Row>
      ))}
      {order.grounds.length < 8 && (
        <Row label="" help="For one, the ground before weathering beside the ground after.">
          <Button look="quiet" onClick={() => set({ grounds: [...order.grounds, sourceOf(Object.keys(choices)[2] ?? 'end')] })}>
            Another ground beside it
          </Button>
        </Row>
      )}
      <Row label="Samples">
        {free || typed ? (
          <NumberField label="Samples" value={order.samples} min={2} max={16_385} onChange={(samples) => set({ samples: Math.round(samples) })} />
        ) : (
          <Select
            label="Samples"
            value={String(order.samples)}
            choices={Object.fromEntries([
              ...offers.map((o) => [
                String(o.samples),
                `${o.samples}${order.receiver.square ? ` × ${o.samples}` : ''}${makeUp(o) ? ` = ${makeUp(o)}` : ''}${o.own ? ', its own' : ''}`,
              ]),
              ...(offer ? [] : [[String(order.samples), `${order.samples}, typed`]]),
              ['0', 'Another count …'],
            ])}
            onChange={(v) => (v === '0' ? setTyped(true) : set({ samples: Number(v) }))}
          />
        )}
      </Row>
      {refused ? (
        <p className={css.fault}>{refused}</p>
      ) : (
        order.samples !== own && (
          <Row label="To this size by">
            <Segments
              label="To this size by"
              value={order.fit}
              choices={{ anew: 'Whole', crop: 'Crop', extend: 'Extend edges' }}
              onChange={(fit) => set({ fit })}
            />
          </Row>
        )
      )}
      {!refused && order.samples !== own && order.fit === 'anew' && (
        <Row
          label="Its samples are"
          help="Resampled: from the ground as you see it. Worked out again: the course at this count, with more detail and some difference."
        >
          <Segments
            label="Its samples are"
            value={order.sampling === 'auto' ? (cost?.sampling?.how ?? 'resampled') : order.sampling}
            choices={{ resampled: 'Resampled', worked: 'Worked out again' }}
            onChange={(sampling) => set({ sampling })}
          />
        </Row>
      )}
      {!refused && order.fit === 'anew' && cost?.sampling && <SamplingWords course={course} order={order} cost={cost} />}
      {!refused && offer && !offer.own && (
        <p className={css.note}>
          {order.fit === 'anew'
            ? `${Number(offer.spacing.toPrecision(6))} m from sample to sample instead of ${Number(spacingOf(course.ground).x.toPrecision(6))} m.`
            : offer.leavesOut > 0
              ? `${figure(offer.leavesOut, 0)} m of each side are left out.`
              : `A flat strip of ${figure(-offer.leavesOut, 0)} m along two sides.`}
        </p>
      )}
      {order.fit === 'extend' && cost && cost.strip > 0 && (
        <p className={css.caution}>The outer value is carried on over {cost.strip} samples: it will look like a flat strip.</p>
      )}
      <Row label="Only a part">
        <Switch
          label="Only a part"
          on={order.frame !== null}
          onChange={(on) =>
            set({
              frame: on
                ? { west: course.ground.width / 4, north: course.ground.depth / 4, width: course.ground.width / 2, depth: course.ground.depth / 2 }
                : null,
            })
          }
        />
      </Row>
      {order.frame && (
        <div className={css.four}>
          {(
            [
              ['west', 'From west'],
              ['north', 'From north'],
              ['width', 'Width'],
              ['depth', 'Depth'],
            ] as const
          ).map(([key, label]) => (
            <label key={key}>
              <span>{label}</span>
              <NumberField
                label={`Part: ${label}`}
                unit="m"
                value={order.frame![key]}
                min={0}
                max={1e7}
                step={1}
                onChange={(v) => set({ frame: { ...order.frame!, [key]: v } })}
              />
            </label>
          ))}
        </div>
      )}
      {cost && (
        <p
          className={`${css.note} number`}
        >{`${cost.across} × ${cost.down}, ${Number(cost.spacing.toPrecision(6))} m apart${order.frame ? `; the whole is worked out at ${cost.workedAt[0]} × ${cost.workedAt[1]}` : ''}`}</p>
      )}
    </Part>
  );
}

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
  const { height, receiver, tiles } = order;
  const put = (part: Partial<Order['height']>) => set({ height: { ...height, ...part } });
  if (receiver.heights.by === 'print') {
    return (
      <Part title="Solid">
        <p className={css.note}>
          STL in millimetres, 1 : {receiver.heights.scale}, on a base of {receiver.heights.base} mm: surface, walls and underside, every edge closed.
        </p>
        {cost?.toTypeIn.map((line) => (
          <Row key={line.label} label={line.label}>
            <span className="number">{line.value}</span>
          </Row>
        ))}
      </Part>
    );
  }
  const types = receiver.formats.find((f) => f.format === height.format)?.types ?? [];
  const codes = CODES[height.type];
  const { by } = receiver.heights;
  const ranged = (codes && by === 'range') || by === 'unit';
  const used =
    height.range ?? (cost ? { low: Math.floor(cost.over.lowest), high: Math.max(Math.floor(cost.over.lowest) + 1, Math.ceil(cost.over.highest)) } : null);
  const nameFault = height.name ? badName(height.name) : null;
  const sides = tiles && cost ? tileSides({ ground: { ...course.ground, across: cost.across, down: cost.down } }, tiles) : null;
  return (
    <>
      <Part title="Heights">
        <Row label="Write heights">
          <Switch label="Write heights" on={height.on} onChange={(on) => put({ on })} />
        </Row>
        {height.on && (
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
                <Segments
                  label="Packed"
                  value={height.compression}
                  choices={{ none: 'No', deflate: 'Deflate' }}
                  onChange={(compression) => put({ compression })}
                />
              </Row>
            )}
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
        )}
      </Part>
      {height.on && ranged && used && (
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
      )}
      {height.on && receiver.heights.by === 'blocks' && <BlocksPart rule={receiver.heights} order={order} set={set} cost={cost} />}
      {height.on && by === 'zero' && (
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
      )}
      <Part title="Tiles">
        <Row label="In tiles">
          <Switch
            label="In tiles"
            on={tiles !== null}
            onChange={(on) => set({ tiles: on ? { across: 2, down: 2, shared: receiver.registration !== 'area', pattern: '{name}_x{x}_y{y}' } : null })}
          />
        </Row>
        {tiles && (
          <>
            <Row label="Across, down">
              <div className={css.inRow}>
                <NumberField
                  label="Tiles across"
                  value={tiles.across}
                  min={1}
                  max={64}
                  onChange={(across) => set({ tiles: { ...tiles, across: Math.round(across) } })}
                />
                <NumberField label="Tiles down" value={tiles.down} min={1} max={64} onChange={(down) => set({ tiles: { ...tiles, down: Math.round(down) } })} />
              </div>
            </Row>
            <Row label="Shared edges" help="Neighbours have their outer samples in common.">
              <Switch label="Shared edges" on={tiles.shared} onChange={(shared) => set({ tiles: { ...tiles, shared } })} />
            </Row>
            <Row label="Names" help="{name}, {x} and {y} from 0, {column} and {row} from 1, {south} from the south.">
              <TextField
                label="Names of tiles"
                value={tiles.pattern}
                onChange={(pattern) => set({ tiles: { ...tiles, pattern: pattern || '{name}_x{x}_y{y}' } })}
              />
            </Row>
            {sides && (
              <p className={typeof sides === 'string' ? css.fault : css.note}>
                {typeof sides === 'string' ? sides : `Each ${sides.across} × ${sides.down} samples.`}
              </p>
            )}
          </>
        )}
      </Part>
    </>
  );
}
