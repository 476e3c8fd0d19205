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
