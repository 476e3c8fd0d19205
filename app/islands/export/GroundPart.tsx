import { useState } from 'react';
import {
  allUses,
  samplingWords,
  sizesOfReceiver,
  spacingOf,
  stepById,
  whyReceiverRefuses,
  type Course,
  type Order,
  type SizeOffer,
  type Source,
} from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, Switch } from '../../components/controls';
import { Part } from '../../components/Facts';
import { figure } from '../../components/format';
import type { OrderCost } from '../../engine/api';
import { engine } from '../../engine/client';
import { WhenAsked } from '../../components/WhenAsked';
import css from './ExportRoom.module.css';

export interface PartProps {
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
  return (
    <Part title="Ground">
      <SourceRows course={course} order={order} set={set} />
      <SamplesRow order={order} set={set} offers={offers} />
      <FitRows course={course} order={order} set={set} cost={cost} offer={offers.find((o) => o.samples === order.samples)} />
      <FrameRows course={course} order={order} set={set} />
      {cost && (
        <p
          className={`${css.note} number`}
        >{`${cost.across} × ${cost.down}, ${Number(cost.spacing.toPrecision(6))} m apart${order.frame ? `; the whole is worked out at ${cost.workedAt[0]} × ${cost.workedAt[1]}` : ''}`}</p>
      )}
    </Part>
  );
}

const keyOf = (source: Source) => ('id' in source ? `${source.kind} ${source.id}` : source.kind);
const sourceOf = (key: string): Source => {
  const [kind, ...rest] = key.split(' ');
  return (rest.length ? { kind, id: rest.join(' ') } : { kind }) as Source;
};

/** The ground that is written, and others beside it. */
function SourceRows({ course, order, set }: Omit<PartProps, 'cost'>) {
  const choices: Record<string, string> = { end: 'The end of the course', calibration: 'The calibration ground' };
  for (const use of allUses(course)) if (use.on) choices[`step ${use.id}`] = `After ${use.name || stepById(use.step).title}`;
  for (const line of course.tributaries) choices[`tributary ${line.id}`] = `Tributary ${line.name}`;
  const [first, ...others] = order.grounds;
  return (
    <>
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
    </>
  );
}

/** A count that the receiver takes, or one that is typed. */
function SamplesRow({ order, set, offers }: Pick<PartProps, 'order' | 'set'> & { offers: SizeOffer[] }) {
  const [typed, setTyped] = useState(false);
  const free = order.receiver.sizes.kind === 'any';
  const offered = offers.some((o) => o.samples === order.samples);
  return (
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
            ...(offered ? [] : [[String(order.samples), `${order.samples}, typed`]]),
            ['0', 'Another count …'],
          ])}
          onChange={(v) => (v === '0' ? setTyped(true) : set({ samples: Number(v) }))}
        />
      )}
    </Row>
  );
}

/** How the ground comes to that count, and what that does to it. */
function FitRows({ course, order, set, cost, offer }: PartProps & { offer: SizeOffer | undefined }) {
  const refused = whyReceiverRefuses(order.receiver, order.samples);
  const own = Math.max(course.ground.across, course.ground.down);
  return (
    <>
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
    </>
  );
}

const SIDES = { west: 'From west', north: 'From north', width: 'Width', depth: 'Depth' } as const;

/** All of the ground, or a rectangle of it. */
function FrameRows({ course: { ground }, order: { frame }, set }: Omit<PartProps, 'cost'>) {
  const middle = { west: ground.width / 4, north: ground.depth / 4, width: ground.width / 2, depth: ground.depth / 2 };
  return (
    <>
      <Row label="Only a part">
        <Switch label="Only a part" on={frame !== null} onChange={(on) => set({ frame: on ? middle : null })} />
      </Row>
      {frame && (
        <div className={css.four}>
          {(Object.keys(SIDES) as (keyof typeof SIDES)[]).map((side) => (
            <label key={side}>
              <span>{SIDES[side]}</span>
              <NumberField
                label={`Part: ${SIDES[side]}`}
                unit="m"
                value={frame[side]}
                min={0}
                max={1e7}
                step={1}
                onChange={(metres) => set({ frame: { ...frame, [side]: metres } })}
              />
            </label>
          ))}
        </div>
      )}
    </>
  );
}
