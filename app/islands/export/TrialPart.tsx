import { useState } from 'react';
import { SYMPTOMS, type Order, type MisreadSettings } from '@upland-cast/core';
import { Scale } from 'lucide-react';
import { compareHanded } from '../../store/compare';
import { Button, NumberField, Row, Segments, Select, Switch } from '../../components/controls';
import { figure } from '../../components/format';
import { engine } from '../../engine/client';
import type { Pixels } from '../../drawing/pictures';
import { PixelPicture } from '../import/PixelPicture';
import { useEngineQuery } from '../../components/use-engine-query';
import css from './ExportRoom.module.css';

type Told = MisreadSettings & { asColour?: boolean; greenTurned?: boolean };

/** The delivery read as a receiver does that was told right, or wrong on purpose: the ground it gets beside the true one, and the symptom by its name. */
export function TrialPart({ order, ground }: { order: Order; ground: { across: number; down: number } }) {
  const [told, setTold] = useState<Told>({});
  const { value: result, fault } = useEngineQuery(() => engine().trial(told), [told]);
  const set = (part: Told) => setTold({ ...told, ...part });
  const picture = (title: string, pixels: Pixels) => (
    <figure>
      <PixelPicture picture={pixels} label={title} />
      <figcaption>{title}</figcaption>
    </figure>
  );
  return (
    <section className={css.trial} aria-label="Trial reading">
      <p className={css.note}>The bytes that were written, read as a receiver would. Tell it something wrong, and see what people see.</p>
      {result && (
        <div className={css.pictures}>
          {picture('The ground', result.truth)}
          {picture('What arrives', result.got)}
        </div>
      )}
      <Button disabled={!result} onClick={() => void compareHanded(told)} title="The ground now beside what arrives">
        <Scale size={14} /> Compare
      </Button>
      <div role="status" className={css.symptoms}>
        {fault && <p className={css.fault}>{fault}</p>}
        {!fault && result && result.symptoms.length === 0 && (
          <p className={css.good}>
            It arrives as it is: {figure(result.lowest, 1)} to {figure(result.highest, 1)} m.
          </p>
        )}
        {!fault &&
          result?.symptoms.map((s) => (
            <div key={s.id}>
              <b>{SYMPTOMS[s.id].title}</b>
              <p>{s.detail}</p>
              <p>{SYMPTOMS[s.id].cause}</p>
              <p className={css.note}>{SYMPTOMS[s.id].cure}</p>
            </div>
          ))}
      </div>
      <TrialSettings {...{ order, ground, told, set }} found={result} />
    </section>
  );
}

interface TrialProps {
  order: Order;
  ground: { across: number; down: number };
  told: Told;
  set: (part: Told) => void;
  found: { highest: number; lowest: number; hasNormal: boolean } | null | undefined;
}

/** What a receiver can be told, right or wrong. */
function TrialSettings(props: TrialProps) {
  const { order, ground, told, set, found } = props;
  return (
    <>
      <TrialLayout {...props} />
      {order.height.type[0] !== 'f' && <TrialCodes {...{ told, set, found }} />}
      <Row label="Its grid has">
        <NumberField
          label="Trial: samples of its grid"
          value={told.grid ?? Math.max(ground.across, ground.down)}
          min={2}
          max={16_385}
          onChange={(grid) => set({ grid: grid > Math.max(ground.across, ground.down) ? grid : undefined })}
        />
      </Row>
      {found?.hasNormal && (
        <>
          <Row label="Normals as colour">
            <Switch label="Normals as colour" on={told.asColour ?? false} onChange={(asColour) => set({ asColour })} />
          </Row>
          <Row label="Green turned over">
            <Switch label="Green turned over" on={told.greenTurned ?? false} onChange={(greenTurned) => set({ greenTurned })} />
          </Row>
        </>
      )}
    </>
  );
}

/** How the bytes lie: their order, rows and sides. */
function TrialLayout({ order, ground, told, set }: TrialProps) {
  const raw = order.height.format === 'raw';
  return (
    <>
      {(raw || order.height.type[0] !== 'f') && (
        <Row label="Byte order">
          <Segments
            label="Trial: byte order"
            value={told.order ?? order.height.order}
            choices={{ le: 'Little-endian', be: 'Big-endian' }}
            onChange={(o) => set({ order: o === order.height.order ? undefined : o })}
          />
        </Row>
      )}
      {raw && (
        <Row label="Samples across">
          <NumberField
            label="Trial: samples across"
            value={told.across ?? ground.across}
            min={2}
            max={16_385}
            onChange={(across) =>
              set(across === ground.across ? { across: undefined, down: undefined } : { across, down: Math.floor((ground.across * ground.down) / across) })
            }
          />
        </Row>
      )}
      <Row label="First row">
        <Segments
          label="Trial: first row"
          value={told.rows ?? (raw ? order.height.rows : 'north')}
          choices={{ north: 'North', south: 'South' }}
          onChange={(rows) => set({ rows: rows === (raw ? order.height.rows : 'north') ? undefined : rows })}
        />
      </Row>
      <Row label="Turned by">
        <Select
          label="Turned by"
          value={String(told.turned ?? 0)}
          choices={{ '0': 'Not turned', '90': '90°', '180': '180°', '270': '270°' }}
          onChange={(t) => set({ turned: Number(t) as 0 | 90 | 180 | 270 })}
        />
      </Row>
      <Row label="Mirrored">
        <Switch label="Mirrored" on={told.mirrored ?? false} onChange={(mirrored) => set({ mirrored })} />
      </Row>
    </>
  );
}

/** What the codes stand for. */
function TrialCodes({ told, set, found }: Pick<TrialProps, 'told' | 'set' | 'found'>) {
  return (
    <>
      {found && (
        <Row label="Highest code is">
          <NumberField
            label="Trial: height of the highest code"
            unit="m"
            value={told.range?.high ?? found.highest}
            min={-100_000}
            max={100_000}
            onChange={(high) => set({ range: { low: told.range?.low ?? found.lowest, high } })}
          />
        </Row>
      )}
      <Row label="Tone curve" help="It takes the file for a picture.">
        <Switch label="Tone curve" on={told.toneCurve ?? false} onChange={(toneCurve) => set({ toneCurve })} />
      </Row>
      <Row label="Only 8 bits">
        <Switch label="Only 8 bits" on={told.bits === 8} onChange={(on) => set({ bits: on ? 8 : undefined })} />
      </Row>
    </>
  );
}
