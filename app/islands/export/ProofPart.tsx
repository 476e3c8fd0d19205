import { Check, Download, FileText, Scale } from 'lucide-react';
import { proofLines } from '@upland-cast/core';
import { Button } from '../../components/controls';
import { download } from '../../components/download';
import { Part } from '../../components/Facts';
import { bytes as inBytes, figure } from '../../components/format';
import type { HandedOn } from '../../engine/api';
import { compareHanded } from '../../store/compare';
import css from './ExportRoom.module.css';

/** Files that hold heights, or a mesh. */
const COMPARED = /\.(tiff?|png|exr|npy|pfm|pgm|asc|hgt|glb|obj|ply|stl)$/i;

/** What was handed on: its proof, file by file, and its docket. */
export function ProofPart({ handed, bundleName }: { handed: HandedOn; bundleName: string }) {
  const { docket, files } = handed;
  return (
    <>
      <p className={css.good} role="status">
        <Check size={15} /> Read back and found right
      </p>
      <Downloads handed={handed} name={handed.name || bundleName} />
      {docket.words.length > 0 && (
        <ul className={css.words}>
          {docket.words.map((w) => (
            <li key={w}>{w}</li>
          ))}
        </ul>
      )}
      {files.map((file, i) => (
        <ProvedFile key={file.name} file={file} open={i === 0} />
      ))}
      {docket.spots.length > 0 && (
        <Part title="Spots">
          <Spots spots={docket.spots} />
        </Part>
      )}
      <Part title="The ground">
        <Lines items={docket.ground} />
      </Part>
      <Part title="How it was made">
        <Lines items={docket.madeBy} />
      </Part>
    </>
  );
}

function Lines({ items }: { items: readonly { label: string; value: string }[] }) {
  return (
    <dl className={css.docket}>
      {items.map((line, i) => (
        <div key={i}>
          <dt>{line.label}</dt>
          <dd className="number">{line.value}</dd>
        </div>
      ))}
    </dl>
  );
}

function Downloads({ handed, name }: { handed: HandedOn; name: string }) {
  return (
    <div className={css.downloads}>
      {handed.written ? (
        <p className={css.note}>Written to {handed.written}.</p>
      ) : (
        <Button
          look="main"
          aria-label={handed.name ? `Take ${name}` : 'Everything as a ZIP'}
          onClick={() => handed.blob && download(name, handed.blob, handed.mediaType)}
        >
          <Download size={14} /> {handed.name || 'Everything as a ZIP'} ({inBytes(handed.blob?.size ?? 0)})
        </Button>
      )}
      {handed.blob && handed.name && COMPARED.test(handed.name) && (
        <Button onClick={() => void compareHanded({}, new File([handed.blob!], handed.name))} title="The file that was written beside the ground now">
          <Scale size={14} /> Compare with now
        </Button>
      )}
      {handed.docketHtml && (
        <Button onClick={() => download(`${stem(name)}-docket.html`, handed.docketHtml, 'text/html')}>
          <FileText size={14} /> Docket
        </Button>
      )}
      {handed.docketJson && (
        <Button onClick={() => download(`${stem(name)}-docket.json`, handed.docketJson, 'application/json')}>
          <FileText size={14} /> Docket as JSON
        </Button>
      )}
    </div>
  );
}

/** A file of a delivery: its words, what is typed in on the other side, and its proof. */
function ProvedFile({ file, open }: { file: HandedOn['files'][number]; open: boolean }) {
  return (
    <details className={css.handed} open={open}>
      <summary>
        <b>{file.name}</b>
        <span>
          {file.meaning === 'words' ? '' : `${file.meaning}, `}
          {inBytes(file.size)}
        </span>
      </summary>
      {file.blob && (
        <Button onClick={() => download(file.name, file.blob!, file.blob!.type)}>
          <Download size={13} /> {file.name}
        </Button>
      )}
      {file.words.map((w) => (
        <p key={w} className={css.note}>
          {w}
        </p>
      ))}
      {file.toTypeIn.length > 0 && (
        <Part title="Settings on the other side">
          <Lines items={file.toTypeIn} />
        </Part>
      )}
      {file.proof && (
        <Part title="Proof">
          <Lines items={proofLines(file.proof, file.unit)} />
        </Part>
      )}
    </details>
  );
}

function Spots({ spots }: { spots: HandedOn['docket']['spots'] }) {
  return (
    <table className={css.spots}>
      <thead>
        <tr>
          <th scope="col">Spot</th>
          <th>Before</th>
          <th>Now</th>
          <th>As delivered</th>
        </tr>
      </thead>
      <tbody>
        {spots.map((spot) => (
          <tr key={spot.name}>
            <th scope="row">{spot.name}</th>
            <td className="number">{spot.before === null ? '' : figure(spot.before, 2)}</td>
            <td className="number">{figure(spot.now, 2)}</td>
            <td className="number">{figure(spot.delivered, 2)} m</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const stem = (name: string) => name.replace(/\.[a-z0-9]{1,5}$/i, '');
