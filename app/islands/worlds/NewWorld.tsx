import { Play } from 'lucide-react';
import { useMemo, useState } from 'react';
import { MAPS, receivers, WORLD_FORMATS, type Course, type MapSpec, type WorldCost } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, Switch, TextField, Toggles } from '../../components/controls';
import { Facts, Part } from '../../components/Facts';
import { bytes, figure } from '../../components/format';
import { beginWorldThere, useWorlds } from '../../store/worlds';
import { extraSample, OFFERED, orderOf, type WorldForm } from './world-form';
import css from './WorldRoom.module.css';

const TILERS = {
  none: 'None: as the terrain is',
  ...Object.fromEntries(receivers.filter(({ heights: { by } }) => by !== 'print' && by !== 'blocks').map((r) => [r.id, r.title])),
};
const MESHES: Record<string, string> = { 0: 'None', 1: 'On every sample', 2: 'On every 2nd sample', 4: 'On every 4th', 8: 'On every 8th' };
const BASES: Record<string, string> = { own: 'The terrain’s own', 2049: '2 049', 4097: '4 097', 8193: '8 193' };

interface FormProps {
  form: WorldForm;
  set: (part: Partial<WorldForm>) => void;
}

/** What a new world is to be: its samples and tiles, what is written of them, and where it is worked out. */
export function NewWorld({ course, form, set }: FormProps & { course: Course }) {
  return (
    <>
      <SamplesPart form={form} set={set} extra={extraSample(form, course)} />
      <WrittenPart form={form} set={set} />
      <WorkedOutPart course={course} form={form} set={set} />
    </>
  );
}

function SamplesPart({ form, set, extra }: FormProps & { extra: number }) {
  return (
    <Part title="Samples and tiles">
      <Row label="Samples" help="Along the longer side.">
        <NumberField
          label="Samples along the longer side"
          value={form.samples}
          min={16}
          max={131_073}
          onChange={(samples) => set({ samples: Math.round(samples) })}
        />
      </Row>
      <div className={css.offers}>
        {[4096, 8192, 16_384, 32_768, 65_536].map((n) => (
          <Button key={n} look="quiet" aria-pressed={form.samples === n + extra} onClick={() => set({ samples: n + extra })}>
            {figure(n + extra, 0)}
          </Button>
        ))}
      </div>
      <Row label="A tile">
        <Select
          label="Samples a side of a tile"
          value={String(form.tile)}
          choices={{ 512: '512 × 512', 1024: '1 024 × 1 024', 2048: '2 048 × 2 048', 4096: '4 096 × 4 096' }}
          onChange={(tile) => set({ tile: Number(tile) })}
        />
      </Row>
      <Row
        label="Whole ground at"
        help="Samples at which the whole ground is worked out first. What knows the whole, such as where rivers run, is taken from there."
      >
        <Select label="Samples of the whole ground" value={form.base} choices={BASES} onChange={(base) => set({ base })} />
      </Row>
      <Row
        label="Fine weather"
        help="Rivers, rain, scree and snow go on from the whole ground to the world’s own samples, which makes gullies and screes as fine as those; it takes several times as long."
      >
        <Switch label="Weather to the world’s own samples" on={form.weather === 'samples'} onChange={(on) => set({ weather: on ? 'samples' : 'base' })} />
      </Row>
    </Part>
  );
}

function WrittenPart({ form, set }: FormProps) {
  return (
    <Part title="Written">
      <Row label="Receiver" help="Where samples lie, whether neighbours share those between them, and what is taken.">
        <Select label="Receiver of the tiles" value={form.receiver} choices={TILERS} onChange={(receiver) => set({ receiver })} />
      </Row>
      <Row label="Tiles as">
        <Segments label="Tiles as" value={form.format} choices={WORLD_FORMATS} onChange={(format) => set({ format })} />
      </Row>
      {form.format === 'tiff' ? (
        <Row label="Cloud-optimised" help="Tiles of 512 with overviews inside, packed.">
          <Switch label="Cloud-optimised" on={form.cloud} onChange={(cloud) => set({ cloud })} />
        </Row>
      ) : (
        <Row label="Codes from, to" help="Metres that the lowest and the highest code stand for, the same in every tile.">
          <div className={css.pair}>
            {(['low', 'high'] as const).map((end) => (
              <NumberField
                key={end}
                label={end === 'low' ? 'Metres of the lowest code' : 'Metres of the highest code'}
                unit="m"
                min={-20_000}
                max={20_000}
                value={form.range[end]}
                onChange={(metres) => set({ range: { ...form.range, [end]: metres } })}
              />
            ))}
          </div>
        </Row>
      )}
      <Row
        label="Called"
        help="{x} and {y} count from 0 in the north-west, {column} and {row} from 1, {south} from 0 in the south, {name} is the terrain’s; {x:3} has three digits."
      >
        <TextField label="How tiles are called" value={form.names} onChange={(names) => set({ names })} />
      </Row>
      <Toggles
        label="Maps of every tile"
        items={Object.keys(OFFERED).map((kind) => ({
          key: kind,
          text: MAPS[kind as MapSpec['kind']].title,
          on: form.maps.includes(kind),
          onToggle: () => set({ maps: form.maps.includes(kind) ? form.maps.filter((k) => k !== kind) : [...form.maps, kind] }),
        }))}
      />
      <Row label="Meshes" help="Of every tile in levels, with borders that meet, and 3D Tiles (OGC) over them. Says how far vertices lie apart.">
        <Select label="Meshes" value={String(form.meshes)} choices={MESHES} onChange={(meshes) => set({ meshes: Number(meshes) as WorldForm['meshes'] })} />
      </Row>
    </Part>
  );
}

function WorkedOutPart({ course, form, set }: FormProps & { course: Course }) {
  const there = useWorlds((s) => s.there);
  const [busy, setBusy] = useState(false);
  const [refused, setRefused] = useState<string | null>(null);
  const found = useMemo(() => orderOf(course, form), [course, form]);
  const begin = async () => {
    if (found.fault !== undefined) return;
    setBusy(true);
    setRefused(null);
    try {
      await beginWorldThere(course, found.order, form.byQueue);
    } catch (error) {
      setRefused((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  const fault = found.fault ?? refused;
  const running = there?.worlds.find(({ state }) => state === 'running');
  return (
    <Part title="Worked out">
      {there?.queue ? (
        <Row label="Where" help="Workers take its tiles from the queue that the server knows.">
          <Segments
            label="Where it is worked out"
            value={form.byQueue ? 'queue' : 'here'}
            choices={{ here: 'On the server', queue: 'By workers' }}
            onChange={(where) => set({ byQueue: where === 'queue' })}
          />
        </Row>
      ) : (
        <p className={css.note}>
          On the server, which lays it into a folder of its own. Several machines share the tiles by a queue (UPLAND_QUEUE; see docs/worlds.md).
        </p>
      )}
      {found.fault === undefined && <CostFacts cost={found.cost} room={there?.room ?? null} />}
      <Button look="main" disabled={busy || (fault === found.fault && found.fault !== undefined) || running !== undefined} onClick={() => void begin()}>
        <Play size={13} /> {busy ? 'Sending the terrain …' : 'Work it out'}
      </Button>
      {running && <p className={css.note}>{running.name} is being worked out. One world is worked on at a time.</p>}
      {fault && (
        <p className={css.fault} role="alert">
          {fault}
        </p>
      )}
    </Part>
  );
}

/** What it comes to; `room`: bytes that are free on the server, where that is known. */
function CostFacts({ cost, room }: { cost: WorldCost; room: number | null }) {
  const free: [string, string, 'fault'?][] =
    room === null ? [] : [['free on the server', bytes(room), cost.bytes + cost.whileMade > room ? 'fault' : undefined]];
  return (
    <Facts
      items={[
        ['samples', `${figure(cost.across, 0)} × ${figure(cost.down, 0)}, every ${figure(cost.spacing, cost.spacing < 10 ? 2 : 0)} m`],
        ['tiles', figure(cost.tiles, 0)],
        ['files, about', bytes(cost.bytes)],
        ['beside them while it is made', bytes(cost.whileMade)],
        ...free,
      ]}
    />
  );
}
