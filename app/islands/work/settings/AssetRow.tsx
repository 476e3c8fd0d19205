import { FolderOpen, RefreshCw, Scale } from 'lucide-react';
import { useRef, useState } from 'react';
import type { ParamMeta } from '@upland-cast/core';
import { Button, Row } from '../../../components/controls';
import { figure } from '../../../components/format';
import type { TakenIn } from '../../../engine/api';
import { engine } from '../../../engine/client';
import { fileAgain } from '../../../storage/assets';
import { compareAssets, type AssetState } from '../../../store/compare';
import { replaceAsset } from '../../../store/course';
import { amend } from '../../../store/history';
import { keepMark } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import { chooseFiles } from '../../import/files';
import css from './Settings.module.css';

interface AssetSetter {
  set(value: unknown): void;
  /** Another file; says what was done beside taking it. */
  takeFile?(file: TakenIn): string | undefined;
}

/** What came of taking a file. */
interface Said {
  fault?: string;
  words: string[];
}

/** A file in the place of the one that a setting names: chosen anew, or looked at again on disk. */
function useTaking(sha: string, { set, takeFile }: AssetSetter) {
  const assets = useTerrain((s) => s.course!.assets);
  const [said, setSaid] = useState<Said>({ words: [] });
  const [busy, setBusy] = useState(false);
  const [changed, setChanged] = useState<{ before: AssetState; after: AssetState } | null>(null);
  const take = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    const answer = await engine().takeIn(new Uint8Array(await file.arrayBuffer()));
    setBusy(false);
    if (!answer.ok) return setSaid({ fault: `${file.name}: ${answer.sentence}`, words: [] });
    const { across, down, lowest, highest, inCodes, words } = answer.value;
    // A file that takes the place of another is a thing to go back from.
    if (sha) await keepMark(`Before ${file.name} took the place of ${assets[sha]?.name ?? 'another file'}`, true);
    amend((course) => void (course.assets[answer.value.sha] = { name: file.name.slice(0, 200), bytes: file.size }));
    const done = takeFile?.(answer.value);
    if (!takeFile) set(answer.value.sha);
    setSaid({
      words: [`${across} × ${down} samples, ${figure(lowest, 1)} to ${figure(highest, 1)}${inCodes ? ' in codes' : ' m'}.`, ...(done ? [done] : []), ...words],
    });
  };
  /** The file on disk again, by the way back to it, or chosen anew. */
  const again = async () => {
    setBusy(true);
    const words: string[] = [];
    try {
      const file = (await fileAgain(sha)) ?? (await chooseFiles())?.[0]?.file;
      if (file instanceof File) {
        const answer = await engine().takeIn(new Uint8Array(await file.arrayBuffer()), assets[sha]?.reading);
        if (!answer.ok) return setSaid({ fault: `${file.name}: ${answer.sentence}`, words: [] });
        if (answer.value.sha === sha) words.push('The file on disk is the same as it was.');
        else {
          await keepMark(`Before looking again at ${file.name}`, true);
          replaceAsset(sha, { sha: answer.value.sha, name: file.name, bytes: file.size });
          words.push(`The file on disk has changed: it was taken wherever this terrain uses it.`);
          const was = assets[sha];
          setChanged({
            before: { sha, name: `${file.name}, as it was`, reading: was?.reading },
            after: { sha: answer.value.sha, name: `${file.name}, on disk`, reading: was?.reading },
          });
        }
      }
      setSaid({ words });
    } finally {
      setBusy(false);
    }
  };
  return { said, busy, changed, take, again };
}

/** A setting that is a file. */
export function AssetRow({ meta, sha, disabled, set, takeFile }: { meta: ParamMeta; sha: string; disabled: boolean } & AssetSetter) {
  const name = useTerrain((s) => s.course!.assets[sha]?.name);
  const chooser = useRef<HTMLInputElement>(null);
  const { said, busy, changed, take, again } = useTaking(sha, { set, takeFile });
  return (
    <div className={css.line}>
      <Row label={meta.label} help={meta.help}>
        <span className={css.file}>
          <span className={css.asset} title={sha ? `${name ?? ''}, SHA-256 ${sha}` : undefined}>
            {sha ? (name ?? `${sha.slice(0, 12)}…`) : 'None yet'}
          </span>
          <Button disabled={disabled || busy} onClick={() => chooser.current?.click()}>
            <FolderOpen size={13} /> {busy ? 'Reading …' : 'Choose'}
          </Button>
          {sha && (
            <Button
              square
              disabled={disabled || busy}
              aria-label="Look again at the file on disk"
              title="Look again at the file on disk"
              onClick={() => void again()}
            >
              <RefreshCw size={13} />
            </Button>
          )}
        </span>
      </Row>
      <input
        ref={chooser}
        type="file"
        hidden
        accept=".png,.tif,.tiff,.jpg,.jpeg,.asc,.txt,.xyz,.csv,.exr,.npy,.pgm,.pfm,.bmp,.hgt"
        aria-label={`File for ${meta.label}`}
        onChange={(event) => void take(event.target.files?.[0]).then(() => void (event.target.value = ''))}
      />
      <Words said={said} />
      {changed && changed.after.sha === sha && (
        <Button onClick={() => compareAssets(changed.before, changed.after)} title="The file as it was beside the file on disk">
          <Scale size={13} /> Compare with before
        </Button>
      )}
    </div>
  );
}

function Words({ said: { fault, words } }: { said: Said }) {
  return (
    <>
      {fault && (
        <p className={css.fault} role="alert">
          {fault}
        </p>
      )}
      {words.map((sentence) => (
        <p key={sentence} className={css.hint}>
          {sentence}
        </p>
      ))}
    </>
  );
}
