import { Bookmark, Trash2, TriangleAlert } from 'lucide-react';
import { lazy, Suspense, useCallback, useEffect, useMemo, useState, type ReactNode } from 'react';
import {
  badName,
  groundForReceiver,
  MAPS,
  MOST_IN_A_TAB,
  orderForReceiver,
  receivers,
  safeName,
  sizesOfReceiver,
  whyReceiverRefuses,
  type Course,
  type Ground,
  type MapSpec,
  type Order,
  type Receiver,
} from '@upland-cast/core';
import { Button, Row, Segments, Switch, TextField } from '../../components/controls';
import { Facts, Part } from '../../components/Facts';
import { figure, smallMetres } from '../../components/format';
import { Working, type Work } from '../../components/Working';
import { engine, listening } from '../../engine/client';
import type { HandedOn, OrderCost } from '../../engine/api';
import { keepOrder, removeOrder } from '../../store/cover';
import { placeFor, type Place } from '../../store/places';
import { keepChosen } from '../../store/keeping';
import { useReceivers } from '../../store/receivers';
import { useWorlds } from '../../store/worlds';
import { useTerrain } from '../../store/state';
import { PixelPicture } from '../import/PixelPicture';
import { CoverPart } from '../cover/CoverPart';
import { GroundPart } from './GroundPart';
import { HeightPart } from './HeightParts';
import { LayersPart } from './LayersPart';
import { MapsPart } from './MapsPart';
import { MapView } from './MapView';
import { ProofPart } from './ProofPart';
import { ReceiverList } from './ReceiverList';
import { TrialPart } from './TrialPart';
import { useEngineQuery } from '../../components/use-engine-query';
import css from './ExportRoom.module.css';

const begun = (receiver: Receiver, course: Parameters<typeof orderForReceiver>[1]): Order => {
  const offers = sizesOfReceiver(receiver, course.ground);
  const own = Math.max(course.ground.across, course.ground.down);
  const nearest = offers.reduce((best, o) => (Math.abs(o.samples - own) < Math.abs(best.samples - own) ? o : best), offers[0]);
  return orderForReceiver(receiver, course, nearest.samples);
};

const WorldRoom = lazy(() => import('../worlds/WorldRoom').then((m) => ({ default: m.WorldRoom })));

/** What goes out: one ground for a receiver, or a world in tiles. */
export function ExportRoom() {
  const world = useWorlds((s) => s.shown);
  const head = (
    <Segments
      label="Exported"
      value={world ? 'world' : 'ground'}
      choices={{ ground: 'One ground', world: 'A world' }}
      onChange={(as) => useWorlds.setState({ shown: as === 'world' })}
    />
  );
  if (!world) return <OneGround head={head} />;
  return (
    <Suspense fallback={<main className={css.room} />}>
      <WorldRoom head={head} />
    </Suspense>
  );
}

/** The order that is being put together, kept with the terrain as it changes; a receiver that was asked for by name is taken. */
function useOrder(course: Course) {
  const [order, setOrder] = useState(() => course.chosen?.order ?? begun(receivers[0], course));
  const [first] = useState(order);
  useEffect(() => {
    if (order !== first) keepChosen({ order });
  }, [order, first]);
  const set = (part: Partial<Order>) => setOrder((old) => ({ ...old, ...part }));
  const choose = (receiver: Receiver) => {
    const next = begun(receiver, course);
    setOrder((old) => ({ ...next, maps: old.maps, grounds: old.grounds, frame: old.frame, docket: old.docket }));
  };
  // One that was asked for by its name, from the list of commands.
  const wanted = useTerrain((s) => s.wantedReceiver);
  const own = useReceivers((s) => s.own);
  useEffect(() => {
    const receiver = wanted && [...receivers, ...own].find(({ id }) => id === wanted);
    if (!receiver) return;
    choose(receiver);
    useTerrain.setState({ wantedReceiver: null });
  });
  return { order, set, choose, setOrder };
}

/** What is handed on, to whom, and how: receiver, files, what it costs; then proof, docket and trial reading. */
function OneGround({ head }: { head: ReactNode }) {
  const course = useTerrain((s) => s.course)!;
  const { order, set, choose, setOrder } = useOrder(course);
  const [shown, setShown] = useState(-1);
  const key = JSON.stringify(order);
  // A ground that was kept says what its heights cost; what its steps left is known when it has been worked out behind it.
  const picture = useTerrain((s) => s.picture);
  const { value: cost, fault, waiting } = useEngineQuery(() => engine().orderCost(course, order), [key, course, picture], 120);
  const ground = useMemo(() => groundForReceiver(order.receiver, course.ground, order.samples), [order.receiver, order.samples, course.ground]);
  const spec: MapSpec | { kind: 'ground' } = order.maps[shown] ?? { kind: 'ground' };
  const title = order.maps[shown] ? MAPS[order.maps[shown].kind].title : 'The ground';
  return (
    <main className={css.room}>
      <ReceiverList head={head} chosen={order.receiver} onChoose={choose} />
      <section className={css.file} aria-label="What will be written">
        <MapView source={order.grounds[0]} spec={spec} title={title} frame={order.frame} square={order.receiver.square} onFrame={(frame) => set({ frame })} />
        <div className={css.under}>
          <div>
            <GroundPart course={course} order={order} set={set} cost={cost} />
            <HeightPart course={course} order={order} set={set} cost={cost} />
          </div>
          <div>
            <PrecisionPart order={order} cost={cost} waiting={waiting} />
            <MapsPart course={course} order={order} layers={cost?.layers ?? []} set={set} shown={shown} onShow={setShown} />
            {order.maps.some((m) => m.kind === 'colour' || m.kind === 'weights') && <CoverPart course={course} />}
            <LayersPart course={course} ground={ground} />
          </div>
        </div>
      </section>
      <aside className={css.proof} aria-label="Proof and docket">
        <Recipes order={order} set={set} choose={setOrder} />
        <HandOn course={course} order={order} asked={key} cost={cost} costFault={fault} ground={ground} />
      </aside>
    </main>
  );
}

interface HandOnProps {
  course: Course;
  order: Order;
  /** The order as text: what was handed on of another one is not shown any more. */
  asked: string;
  cost: OrderCost | null;
  costFault: string | null;
  ground: Ground;
}

/** Where it is worked out, the button that hands it on, and what came of it. */
function HandOn({ course, order, asked, cost, costFault, ground }: HandOnProps) {
  const [side, setSide] = useState<'proof' | 'trial'>('proof');
  const [onServer, setOnServer] = useState(false);
  const bundleName = `${safeName(course.name)}-${safeName(order.name)}.zip`;
  const { fault, handed, work, place, hand, toDisk, forget } = useHanding(course, order, bundleName);
  useEffect(() => {
    forget();
    setSide('proof');
  }, [asked, course, forget]);
  const large = cost !== null && cost.workedAt[0] * cost.workedAt[1] > MOST_IN_A_TAB;
  const there = onServer || large;
  const { range, name } = order.height;
  const blocked = Boolean(whyReceiverRefuses(order.receiver, order.samples) || (range && !(range.high > range.low)) || (name && badName(name)));
  return (
    <>
      <Row
        label="Worked out"
        help={
          large ? `${cost.workedAt[0]} × ${cost.workedAt[1]} samples are too many for a tab.` : 'On the server for what is too large or too long for a tab.'
        }
      >
        <Segments
          label="Worked out"
          value={there ? 'there' : 'here'}
          choices={{ here: 'Here', there: 'On the server' }}
          onChange={(where) => setOnServer(where === 'there')}
        />
      </Row>
      <Go blocked={blocked} work={work} place={place} onHand={() => void hand(there)} onDisk={(again) => void toDisk(there, again)} />
      {(fault ?? costFault) && (
        <p className={css.stopped} role="alert">
          <TriangleAlert size={15} /> {fault ?? costFault}
        </p>
      )}
      {handed ? (
        <>
          <Segments label="Shown" value={side} choices={{ proof: 'Proof and docket', trial: 'Trial reading' }} onChange={setSide} />
          {side === 'proof' || there ? <ProofPart handed={handed} bundleName={bundleName} /> : <TrialPart order={order} ground={ground} />}
        </>
      ) : (
        <p className={css.note}>
          Every file is written, read back by the reader that any stranger’s file goes through, and held against the ground, sample by sample. Only then is it
          handed on. A receiver that you do not know yet: send it the calibration ground first.
        </p>
      )}
    </>
  );
}

/** Hands an order on: how far it is, what came of it, what went wrong, and where it was written to. */
function useHanding(course: Course, order: Order, bundleName: string) {
  const [fault, setFault] = useState<string | null>(null);
  const [handed, setHanded] = useState<HandedOn | null>(null);
  const [work, setWork] = useState<Work | null>(null);
  const [place, setPlace] = useState<Place | null>(null);
  const hand = async (onServer: boolean, to?: Place | null) => {
    setWork({ words: 'Working out the ground', share: 0 });
    setFault(null);
    setHanded(null);
    const answer = await engine().handOn(
      course,
      order,
      { handle: to?.handle, onServer, spotsBefore: useTerrain.getState().spotsBefore },
      listening({ progress: (words, share) => setWork({ words, share }), standing: () => undefined, stage: () => undefined }),
    );
    setWork(null);
    if (answer.ok) setHanded(answer.value);
    else setFault(answer.stopped ? 'Stopped; nothing was left behind.' : answer.sentence);
  };
  const toDisk = async (onServer: boolean, again: boolean) => {
    const single = !order.docket && order.maps.length === 0 && !order.tiles && order.grounds.length === 1;
    try {
      const chosen = await placeFor(again ? place : null, single ? undefined : bundleName);
      if (!chosen) return;
      setPlace(chosen);
      await hand(onServer, chosen);
    } catch (error) {
      setFault(String(error instanceof Error ? error.message : error));
    }
  };
  const forget = useCallback(() => {
    setHanded(null);
    setFault(null);
  }, []);
  return { fault, handed, work, place, hand, toDisk, forget };
}

/** What the numbers of the file can hold of the ground. */
function PrecisionPart({ order, cost, waiting }: { order: Order; cost: OrderCost | null; waiting: boolean }) {
  const whole = cost && cost.metresPerCode > 0;
  return (
    <Part title="Precision">
      {waiting && cost && (
        <p className={css.note} role="status">
          Measuring what is chosen now …
        </p>
      )}
      {cost ? (
        <div className={waiting ? css.stale : undefined} aria-busy={waiting}>
          <Facts
            items={[
              ['the ground', `${figure(cost.statistics.lowest, 2)} … ${figure(cost.statistics.highest, 2)} m`],
              ...(whole
                ? ([
                    ['metres a code', smallMetres(cost.metresPerCode)],
                    ['largest error to expect', smallMetres(cost.metresPerCode / 2)],
                    ['codes over the ground', figure(cost.codes, 0)],
                    ['samples clipped', figure(cost.clipped, 0), cost.clipped ? 'fault' : undefined],
                  ] as [string, string, 'fault'?][])
                : ([['precision', 'as it is worked, to the bit']] as [string, string][])),
              ...cost.toTypeIn.map((l): [string, string] => [l.label.toLowerCase(), l.value]),
            ]}
          />
        </div>
      ) : (
        <p className={css.note}>Measuring …</p>
      )}
      {cost && !waiting && cost.clipped > 0 && order.receiver.heights.by !== 'blocks' && (
        <p className={css.caution}>{figure(cost.clipped, 0)} samples lie outside of what the receiver can hold, and would stand at its ends.</p>
      )}
      {cost &&
        !waiting &&
        [...cost.words, ...cost.border].map((w) => (
          <p key={w} className={css.note}>
            {w}
          </p>
        ))}
      {cost?.picture && <PixelPicture picture={cost.picture} label="The ground as the receiver will have it" />}
    </Part>
  );
}

interface GoProps {
  blocked: boolean;
  work: Work | null;
  /** Where it was written to the last time. */
  place: Place | null;
  onHand: () => void;
  onDisk: (again: boolean) => void;
}

/** Hands it on, or says how far that is. */
function Go({ blocked, work, place, onHand, onDisk }: GoProps) {
  return (
    <div className={css.go}>
      {work ? (
        <Working work={work} onStop={() => void engine().stopHanding()} />
      ) : (
        <>
          <Button look="main" disabled={blocked} onClick={onHand}>
            Export
          </Button>
          {'showSaveFilePicker' in window && (
            <>
              <Button disabled={blocked} onClick={() => onDisk(false)} title="Write straight to a file on disk">
                To a file …
              </Button>
              {place && (
                <Button onClick={() => onDisk(true)} title="The file that is there is kept beside it as a dated copy, where the browser allows">
                  Again to {place.handle.name}
                </Button>
              )}
            </>
          )}
        </>
      )}
    </div>
  );
}

/** Kept recipes of this terrain: what to hand on, done again in one press. */
function Recipes({ order, set, choose }: { order: Order; set: (part: Partial<Order>) => void; choose: (order: Order) => void }) {
  const orders = useTerrain((s) => s.course!.orders);
  const readOnly = useTerrain((s) => s.readOnly);
  return (
    <Part title="Recipe and file">
      {orders.length > 0 && (
        <ul className={css.recipes}>
          {orders.map((kept) => (
            <li key={kept.id}>
              <Button look="quiet" aria-pressed={kept.name === order.name} onClick={() => choose(structuredClone(kept))}>
                {kept.name}
              </Button>
              <Button look="quiet" square aria-label={`Take the recipe ${kept.name} away`} disabled={readOnly} onClick={() => removeOrder(kept.id)}>
                <Trash2 size={12} />
              </Button>
            </li>
          ))}
        </ul>
      )}
      <Row label="Called">
        <div className={css.inRow}>
          <TextField label="Name of the recipe" value={order.name} onChange={(name) => set({ name: name.slice(0, 80) || order.receiver.title })} />
          <Button disabled={readOnly} title="Keep it with the terrain, to be done again" onClick={() => keepOrder(order)}>
            <Bookmark size={13} /> Keep
          </Button>
        </div>
      </Row>
      <Row label="With a docket" help="A sheet with every number that the other side types in.">
        <Switch label="With a docket" on={order.docket} onChange={(docket) => set({ docket })} />
      </Row>
    </Part>
  );
}
