import { Check, Download, FileText, TriangleAlert } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import {
  BYTES,
  CODES,
  fileNameFor,
  formatById,
  groundFor,
  nameBeside,
  receivers,
  sizesFor,
  spacingOf,
  type Encoding,
  type SampleType,
} from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, TextField } from '../../components/controls';
import { download } from '../../components/download';
import { Facts, Part } from '../../components/Facts';
import { bytes as inBytes, figure, smallMetres } from '../../components/format';
import { engine } from '../../engine/client';
import type { CostResult, DeliveryResult } from '../../engine/protocol';
import { useTerrain } from '../../store/terrain';
import { LayersPart } from './LayersPart';
import css from './HandOffRoom.module.css';

const TYPE_NAMES: Record<SampleType, string> = {
  u8: '8-bit',
  u16: '16-bit',
  s16: '16-bit signed',
  u24: '24-bit over colour',
  u32: '32-bit',
  s32: '32-bit signed',
  f32: '32-bit float',
  f64: '64-bit float',
};

/** Receiver, file, what it costs; then proof, docket and download. */
export function HandOffRoom() {
  const course = useTerrain((s) => s.course)!;
  const [receiver, setReceiver] = useState(receivers[0]);
  const sizes = useMemo(() => sizesFor(receiver, course.ground), [receiver, course.ground]);
  const nearest = sizes.reduce((best, s) => (Math.abs(s - course.ground.across) < Math.abs(best - course.ground.across) ? s : best), sizes[0]);
  const [size, setSize] = useState(nearest);
  const [format, setFormat] = useState(receiver.formats[0].format);
  const [type, setType] = useState<SampleType>(receiver.formats[0].types[0]);
  const [order, setOrder] = useState<'le' | 'be'>('le');
  const [rows, setRows] = useState<'north' | 'south'>('north');
  const [range, setRange] = useState<{ low: number; high: number } | null>(null);
  const [name, setName] = useState<string | null>(null);
  const [cost, setCost] = useState<CostResult | null>(null);
  const [delivery, setDelivery] = useState<DeliveryResult | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);

  const ground = useMemo(() => groundFor(receiver, course.ground, size), [receiver, course.ground, size]);
  const whole = CODES[type] !== null;
  const own = cost && { low: Math.floor(cost.statistics.lowest), high: Math.ceil(cost.statistics.highest) };
  const used = range ?? own;
  const fileName = name ?? fileNameFor(receiver, course.name, size, format, type);
  const encoding: Encoding | null =
    whole && !used ? null : { format, type, range: whole ? used! : undefined, options: format === 'raw' ? { order, rows } : undefined };
  const key = JSON.stringify([encoding, ground, fileName]);

  useEffect(() => {
    let stale = false;
    void engine()
      .cost(course, ground, encoding ?? { format, type: 'f32' })
      .then((answer) => {
        if (stale) return;
        if (answer.ok) setCost(answer.value);
        else if (!answer.stopped) setFault(answer.sentence);
      });
    setDelivery(null);
    setFault(null);
    return () => {
      stale = true;
    };
    // The key stands for encoding and ground, which are made anew on every render.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key, course]);

  const types = receiver.formats.find((f) => f.format === format)!.types;
  const pickFormat = (next: string) => {
    const offered = receiver.formats.find((f) => f.format === next)!.types;
    setFormat(next);
    if (!offered.includes(type)) setType(offered[0]);
    setName(null);
  };
  const badRange = whole && used !== null && !(used.high > used.low);
  const deliver = async () => {
    if (!encoding) return;
    setBusy(true);
    setFault(null);
    const answer = await engine().deliver(course, { name: fileName, receiver: receiver.title, ground, encoding });
    setBusy(false);
    if (answer.ok) setDelivery(answer.value);
    else setFault(answer.stopped ? 'Stopped.' : answer.sentence);
  };
  const spacing = spacingOf(ground);
  return (
    <main className={css.room}>
      <aside className={css.receivers} aria-label="Receivers">
        <h2>Receiver</h2>
        <ul>
          {receivers.map((r) => (
            <li key={r.id}>
              <button type="button" aria-pressed={r.id === receiver.id} onClick={() => setReceiver(r)}>
                <b>{r.title}</b>
                <span>{r.summary}</span>
              </button>
            </li>
          ))}
        </ul>
      </aside>
      <section className={css.file} aria-label="What will be written">
        <h2>What will be written</h2>
        <div className={css.columns}>
          <Part title="File">
            <Row label="Samples">
              <Select
                label="Samples"
                value={String(size)}
                choices={Object.fromEntries(sizes.map((s) => [String(s), `${s} × ${s}`]))}
                onChange={(v) => {
                  setSize(Number(v));
                  setName(null);
                }}
              />
            </Row>
            <Row label="Format">
              <Segments
                label="Format"
                value={format}
                choices={Object.fromEntries(receiver.formats.map((f) => [f.format, formatById(f.format).title]))}
                onChange={pickFormat}
              />
            </Row>
            <Row label="Depth">
              <Select
                label="Depth"
                value={type}
                choices={Object.fromEntries(types.map((t) => [t, TYPE_NAMES[t]])) as Record<SampleType, string>}
                onChange={(t) => {
                  setType(t);
                  setName(null);
                }}
              />
            </Row>
            {format === 'raw' && (
              <>
                <Row label="Byte order">
                  <Segments label="Byte order" value={order} choices={{ le: 'Little-endian', be: 'Big-endian' }} onChange={setOrder} />
                </Row>
                <Row label="First row">
                  <Segments label="First row" value={rows} choices={{ north: 'North', south: 'South' }} onChange={setRows} />
                </Row>
              </>
            )}
            <Row label="File name">
              <TextField label="File name" value={fileName} onChange={(v) => setName(v.replace(/[\\/:*?"<>|]/g, '-'))} />
            </Row>
          </Part>
          {whole && (
            <Part title="Range">
              <Row label="Lowest code">
                <NumberField
                  label="Height of the lowest code"
                  value={used?.low ?? 0}
                  unit="m"
                  min={-100000}
                  max={100000}
                  step={0.1}
                  onChange={(low) => setRange({ low, high: used?.high ?? low + 1 })}
                />
              </Row>
              <Row label="Highest code">
                <NumberField
                  label="Height of the highest code"
                  value={used?.high ?? 1}
                  unit="m"
                  min={-100000}
                  max={100000}
                  step={0.1}
                  onChange={(high) => setRange({ low: used?.low ?? high - 1, high })}
                />
              </Row>
              <Button disabled={range === null} onClick={() => setRange(null)}>
                Fit to the ground
              </Button>
              {badRange && <p className={css.fault}>The highest code has to lie above the lowest one.</p>}
            </Part>
          )}
        </div>
        <Part title="What it costs">
          {cost && encoding ? (
            <Facts
              items={[
                ['samples', `${ground.across} × ${ground.down}`],
                ['from sample to sample', `${Number(spacing.x.toPrecision(6))} m`],
                ['the ground', `${figure(cost.statistics.lowest, 2)} … ${figure(cost.statistics.highest, 2)} m`],
                ...(whole && used && !badRange
                  ? ([
                      ['metres a code', smallMetres(cost.metresPerCode)],
                      ['largest error to expect', smallMetres(cost.metresPerCode / 2)],
                      ['codes over the ground', figure(cost.codesSpanned, 0)],
                      ['samples clipped', figure(cost.clipped, 0), cost.clipped ? 'fault' : undefined],
                    ] as [string, string, 'fault'?][])
                  : ([['precision', 'metres as they are worked, to the bit']] as [string, string][])),
                ['samples’ bytes', inBytes(ground.across * ground.down * BYTES[type])],
              ]}
            />
          ) : (
            <p className={css.note}>Measuring …</p>
          )}
          {cost && cost.clipped > 0 && whole && (
            <p className={css.caution}>{figure(cost.clipped, 0)} samples lie outside of the range and would stand at its ends: flat tops or bottoms.</p>
          )}
          {size !== course.ground.across && (
            <p className={css.note}>
              The terrain is worked at {course.ground.across} samples; the file is worked out anew at {size}.
            </p>
          )}
        </Part>
        <Button look="main" disabled={busy || !encoding || badRange} onClick={() => void deliver()}>
          {busy ? 'Writing and reading back …' : 'Write and prove'}
        </Button>
        {fault && (
          <p className={css.stopped} role="alert">
            <TriangleAlert size={15} /> {fault}
          </p>
        )}
        <div className={css.apart}>
          <LayersPart course={course} ground={ground} />
        </div>
      </section>
      <aside className={css.proof} aria-label="Proof and docket">
        <h2>Proof and docket</h2>
        {delivery ? (
          <>
            <p className={css.good} role="status">
              <Check size={15} /> Read back and found right
            </p>
            <div className={css.downloads}>
              <Button look="main" onClick={() => download(fileName, delivery.bytes, formatById(format).mediaType)}>
                <Download size={14} /> {fileName}
              </Button>
              {delivery.beside.map(({ ending, bytes }) => (
                <Button
                  key={ending}
                  title="It belongs beside the file, under the same name"
                  onClick={() => download(nameBeside(fileName, ending), bytes, 'text/plain')}
                >
                  <Download size={14} /> {nameBeside(fileName, ending)}
                </Button>
              ))}
              <Button onClick={() => download(`${fileName}.docket.html`, delivery.docketHtml, 'text/html')}>
                <FileText size={14} /> Docket
              </Button>
              <Button
                onClick={() =>
                  download(`${fileName}.docket.json`, JSON.stringify({ ...delivery.docket, proofFigures: delivery.proof }, null, 2), 'application/json')
                }
              >
                <FileText size={14} /> Docket as JSON
              </Button>
            </div>
            {(
              [
                ['To type in', delivery.docket.toTypeIn],
                ['Proof', delivery.docket.proof],
                ['The ground', delivery.docket.ground],
                ['How it was made', delivery.docket.madeBy],
              ] as const
            ).map(([title, lines]) => (
              <Part key={title} title={title}>
                <dl className={css.docket}>
                  {lines.map((line, i) => (
                    <div key={i}>
                      <dt>{line.label}</dt>
                      <dd className="number">{line.value}</dd>
                    </div>
                  ))}
                </dl>
              </Part>
            ))}
          </>
        ) : (
          <p className={css.note}>
            The file is written, read back by the reader that any stranger’s file goes through, and held against the ground, sample by sample. Only then can it
            be downloaded.
          </p>
        )}
      </aside>
    </main>
  );
}
