import { Star } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import type { StepUse } from '@upland-cast/core';
import { engine } from '../../../engine/client';
import { favourRoll, goToRoll } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import css from './RollsStrip.module.css';

/** The rolls of a source: every seed it has had, with its relief; a press goes back to one. */
export function RollsStrip({ use, seed, readOnly }: { use: StepUse; seed: number; readOnly: boolean }) {
  const rolls = useTerrain((s) => s.course!.rolls[use.id]);
  const [only, setOnly] = useState(false);
  if (!rolls || rolls.length < 2) return null;
  const favourites = rolls.filter((r) => r.favourite).length;
  const shown = [...rolls].reverse().filter((r) => !only || r.favourite);
  return (
    <div className={css.rolls}>
      <div className={css.head}>
        <span>{rolls.length} rolls kept</span>
        {favourites > 0 && (
          <button type="button" aria-pressed={only} onClick={() => setOnly(!only)}>
            {only ? 'All' : `${favourites === 1 ? '1 favourite' : `${favourites} favourites`}`}
          </button>
        )}
      </div>
      <ul className={css.list} aria-label="Rolls">
        {shown.map((roll) => (
          <li key={roll.seed} className={roll.seed === seed ? css.here : ''}>
            <button
              type="button"
              className={css.go}
              aria-label={`Roll ${roll.seed}`}
              aria-pressed={roll.seed === seed}
              disabled={readOnly}
              onClick={() => goToRoll(use.id, roll.seed)}
            >
              <RollPicture use={use} seed={roll.seed} />
              <span className="number">{roll.seed}</span>
            </button>
            <button
              type="button"
              className={css.star}
              aria-pressed={roll.favourite}
              aria-label={`Keep roll ${roll.seed} as a favourite`}
              title="A favourite"
              disabled={readOnly}
              onClick={() => favourRoll(use.id, roll.seed, !roll.favourite)}
            >
              <Star size={12} fill={roll.favourite ? 'currentColor' : 'none'} />
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Pictures by what they show; worked out small, one after the other. */
const pictures = new Map<string, ImageData>();
let turn: Promise<unknown> = Promise.resolve();

function RollPicture({ use, seed }: { use: StepUse; seed: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const key = JSON.stringify([use.id, use.step, { ...use.params, seed: 0 }, use.join, seed]);
  useEffect(() => {
    let gone = false;
    const draw = (image: ImageData) => !gone && canvas.current?.getContext('2d')?.putImageData(image, 0, 0);
    const known = pictures.get(key);
    if (known) {
      draw(known);
      return;
    }
    // While a setting moves the pictures wait.
    const wait = setTimeout(() => {
      turn = turn.then(async () => {
        if (gone) return;
        const picture = await engine().rollPicture(useTerrain.getState().course!, use.id, seed);
        if (!picture) return;
        const image = new ImageData(picture.pixels, picture.width, picture.height);
        if (pictures.size > 500) pictures.clear();
        pictures.set(key, image);
        draw(image);
      });
    }, 500);
    return () => {
      gone = true;
      clearTimeout(wait);
    };
  }, [key, use.id, seed]);
  return <canvas ref={canvas} width={104} height={56} aria-hidden="true" />;
}
