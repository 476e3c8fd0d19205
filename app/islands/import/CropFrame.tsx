import { useRef, type KeyboardEvent, type PointerEvent } from 'react';
import type { AssetReading } from '@upland-cast/core';
import css from './ImportDialog.module.css';

type Crop = NonNullable<AssetReading['crop']>;

const moved = (c: Crop, size: boolean, dx: number, dy: number): Crop =>
  size ? { ...c, across: c.across + dx, down: c.down + dy } : { ...c, left: c.left + dx, top: c.top + dy };

/** Samples that an arrow key moves by, sixteen with Shift: to the east and to the south. */
function arrowed({ key, shiftKey }: KeyboardEvent): [number, number] {
  const by = shiftKey ? 16 : 1;
  return [key === 'ArrowLeft' ? -by : key === 'ArrowRight' ? by : 0, key === 'ArrowUp' ? -by : key === 'ArrowDown' ? by : 0];
}

/** A frame over the picture: dragged by its middle, sized by its corner, by arrow keys too. In samples of the file. */
export function CropFrame({ crop, across, down, onChange }: { crop: Crop; across: number; down: number; onChange: (crop: Crop) => void }) {
  const ref = useRef<HTMLDivElement>(null);
  const kept = (c: Crop): Crop => {
    const w = Math.max(2, Math.min(across, Math.round(c.across)));
    const d = Math.max(2, Math.min(down, Math.round(c.down)));
    return { across: w, down: d, left: Math.max(0, Math.min(across - w, Math.round(c.left))), top: Math.max(0, Math.min(down - d, Math.round(c.top))) };
  };
  const drag = (size: boolean) => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    const box = ref.current!.getBoundingClientRect();
    const start = { x: event.clientX, y: event.clientY, crop };
    const target = event.currentTarget;
    target.setPointerCapture(event.pointerId);
    const move = (e: globalThis.PointerEvent) => {
      const dx = ((e.clientX - start.x) / box.width) * across;
      const dy = ((e.clientY - start.y) / box.height) * down;
      onChange(kept(moved(start.crop, size, dx, dy)));
    };
    const done = () => {
      target.removeEventListener('pointermove', move);
      target.removeEventListener('pointerup', done);
      target.removeEventListener('lostpointercapture', done);
    };
    target.addEventListener('pointermove', move);
    target.addEventListener('pointerup', done);
    target.addEventListener('lostpointercapture', done);
  };
  const keys = (size: boolean) => (event: KeyboardEvent) => {
    const [dx, dy] = arrowed(event);
    if (!dx && !dy) return;
    event.preventDefault();
    event.stopPropagation();
    onChange(kept(moved(crop, size, dx, dy)));
  };
  const share = (value: number, of: number) => `${(100 * value) / of}%`;
  return (
    <div ref={ref} className={css.cropArea}>
      <div
        className={css.crop}
        style={{ left: share(crop.left, across), top: share(crop.top, down), width: share(crop.across, across), height: share(crop.down, down) }}
        tabIndex={0}
        role="group"
        aria-label="Frame: arrow keys move it"
        onPointerDown={drag(false)}
        onKeyDown={keys(false)}
      >
        <button
          type="button"
          className={css.cropCorner}
          aria-label="Size of the frame: arrow keys change it"
          onPointerDown={drag(true)}
          onKeyDown={keys(true)}
        />
      </div>
    </div>
  );
}
