import { useState } from 'react';
import type { AssetReading } from '@upland-cast/core';
import { Button, NumberField, Segments, Select } from '../../components/controls';
import { figure } from '../../components/format';
import type { Look } from '../../engine/api';
import { PixelPicture } from './PixelPicture';
import css from './ImportDialog.module.css';

/** Bytes that say nothing about themselves: the ways to read them, with pictures, best first; or typed. */
export function RawChoice({
  look,
  settled,
  fault,
  onChoose,
  onClose,
}: {
  look: Extract<Look, { kind: 'raw' }>;
  settled: AssetReading;
  fault: string | null;
  onChoose: (as: string) => void;
  onClose: () => void;
}) {
  const side = Math.max(2, Math.round(Math.sqrt(look.bytes / 2)));
  const [typed, setTyped] = useState(settled.as ?? look.readings[0]?.as ?? `raw:u16:le:${side}x${side}`);
  return (
    <>
      <div className={css.raw}>
        <p>These {figure(look.bytes, 0)} bytes do not say what they are. Ways to read them that look most like ground come first: choose one.</p>
        <ul className={css.readings}>
          {look.readings.map((r, i) => (
            <li key={r.as}>
              <button type="button" className={css.reading} onClick={() => onChoose(r.as)} aria-label={`Read as ${words(r.as)}`}>
                <PixelPicture picture={r} />
                <b>{words(r.as)}</b>
                <span>{i === 0 ? 'looks most like ground' : `${Math.round(r.score * 100)} % like ground`}</span>
              </button>
            </li>
          ))}
        </ul>
        {look.readings.length === 0 && <p className={css.caution}>No usual size divides this many bytes. Say how to read them.</p>}
        <fieldset className={css.group}>
          <legend>Or say it</legend>
          <RawFields as={typed} onChange={setTyped} />
          <Button onClick={() => onChoose(typed)}>Read it so</Button>
        </fieldset>
        {fault && (
          <p className={css.fault} role="alert">
            {fault}
          </p>
        )}
      </div>
      <footer className={css.foot}>
        <Button onClick={onClose}>Leave it</Button>
      </footer>
    </>
  );
}

const RAW_TYPES = { u8: '8 bits', u16: '16 bits', s16: '16 bits, signed', u32: '32 bits', s32: '32 bits, signed', f32: '32-bit float', f64: '64-bit float' };

function partsOf(as: string) {
  const [, type, order, size, ...rest] = as.split(':');
  const [across, down] = (size ?? '1x1').split('x').map(Number);
  const skip = Number(rest.find((r) => r.startsWith('skip='))?.slice(5) ?? 0);
  return { type: type as keyof typeof RAW_TYPES, order: order as 'le' | 'be', across, down, skip };
}

const words = (as: string) => {
  const { type, order, across, down } = partsOf(as);
  return `${across} × ${down}, ${RAW_TYPES[type]}${type === 'u8' ? '' : order === 'le' ? ', low byte first' : ', high byte first'}`;
};

/** A layout of raw bytes, part by part. */
export function RawFields({ as, onChange }: { as: string; onChange: (as: string) => void }) {
  const p = partsOf(as);
  const put = (part: Partial<typeof p>) => {
    const { type, order, across, down, skip } = { ...p, ...part };
    onChange(`raw:${type}:${order}:${across}x${down}${skip ? `:skip=${skip}` : ''}`);
  };
  return (
    <div className={css.rawFields}>
      <Select label="Sample type" value={p.type} choices={RAW_TYPES} onChange={(type) => put({ type })} />
      <Segments label="Byte order" value={p.order} choices={{ le: 'Low byte first', be: 'High byte first' }} onChange={(order) => put({ order })} />
      <span className={css.pair}>
        <NumberField label="Columns" unit="across" value={p.across} min={1} max={16_385} onChange={(across) => put({ across })} />
        <NumberField label="Rows" unit="down" value={p.down} min={1} max={16_385} onChange={(down) => put({ down })} />
        <NumberField label="Bytes to skip" unit="skipped" value={p.skip} min={0} max={1e9} onChange={(skip) => put({ skip })} />
      </span>
    </div>
  );
}
