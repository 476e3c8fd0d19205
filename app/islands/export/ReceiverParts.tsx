import { formats, type Receiver, type SampleType } from '@upland-cast/core';
import { NumberField, Row, Segments, Select, Switch, TextField } from '../../components/controls';
import { Part } from '../../components/Facts';
import { TYPE_NAMES } from './names';
import css from './ExportRoom.module.css';

const RULES: Record<Receiver['heights']['by'], string> = {
  range: 'Two codes, two heights',
  zero: 'Counted from a zero code',
  metres: 'Metres',
  unit: '0 to 1',
  blocks: 'Whole blocks',
  print: 'A printed solid',
};
const BEGUN: Record<Receiver['heights']['by'], Receiver['heights']> = {
  range: { by: 'range' },
  zero: { by: 'zero', code: 32_768, overAll: 512, steps: '2^b' },
  metres: { by: 'metres' },
  unit: { by: 'unit', zero: 0 },
  blocks: { by: 'blocks', floor: -64, ceiling: 319, water: 62, edge: 1 },
  print: { by: 'print', scale: 50_000, base: 3 },
};
const SIZES: Record<Receiver['sizes']['kind'], string> = {
  any: 'Any',
  'power of two': 'Power of two',
  'power of two plus one': 'Power of two plus one',
  patches: 'Patches',
};

interface PartProps {
  now: Receiver;
  set: (part: Partial<Receiver>) => void;
}

/** A row with one number. */
function Whole({ label, value, onChange, help, unit = '' }: { label: string; value: number; onChange: (value: number) => void; help?: string; unit?: string }) {
  return (
    <Row label={label} help={help}>
      <NumberField label={label} value={value} unit={unit} min={-1e6} max={1e6} step={unit ? 0.1 : 1} onChange={onChange} />
    </Row>
  );
}

/** Name, sentence, file name and note. */
export function WhatItIs({ now, set }: PartProps) {
  return (
    <Part title="What it is">
      <Row label="Name">
        <TextField label="Name" value={now.title} onChange={(title) => set({ title })} />
      </Row>
      <Row label="In a sentence">
        <TextField label="In a sentence" value={now.summary} onChange={(summary) => set({ summary })} />
      </Row>
      <Row label="File name" help="{terrain}, {size}, {type} and {ending} are put in; without them the name is exactly this.">
        <TextField label="File name" value={now.fileName} onChange={(fileName) => set({ fileName })} />
      </Row>
      <Row label="Note" help="For the docket.">
        <TextField label="Note" empty value={now.note} onChange={(note) => set({ note })} />
      </Row>
    </Part>
  );
}

const list = (text: string) =>
  text
    .split(/[\s,;]+/)
    .map(Number)
    .filter((n) => Number.isInteger(n) && n > 0);

/** How many samples it takes, and where they lie. */
export function SizesPart({ now, set }: PartProps) {
  const { sizes } = now;
  return (
    <Part title="Sizes">
      <Row label="Takes">
        <Select
          label="Takes"
          value={sizes.kind}
          choices={SIZES}
          onChange={(kind) => set({ sizes: kind === 'patches' ? { kind, faces: [63, 127], splits: [1, 2], most: 8_193 } : { kind } })}
        />
      </Row>
      {sizes.kind === 'patches' && (
        <>
          <Row label="Faces a side" help="Of the smallest patches, several with commas.">
            <TextField label="Faces a side" value={sizes.faces.join(', ')} onChange={(text) => set({ sizes: { ...sizes, faces: list(text) } })} />
          </Row>
          <Row label="Splits" help="How many of those make a patch along its side.">
            <TextField label="Splits" value={sizes.splits.join(', ')} onChange={(text) => set({ sizes: { ...sizes, splits: list(text) } })} />
          </Row>
          <Whole label="At the most" value={sizes.most} onChange={(most) => set({ sizes: { ...sizes, most } })} help="Samples a side." />
        </>
      )}
      <Row label="Samples are">
        <Select
          label="Samples are"
          value={now.registration}
          choices={{ point: 'On the edge', area: 'Cell centres', either: 'Either' }}
          onChange={(registration) => set({ registration })}
        />
      </Row>
      <Row label="Square">
        <Switch label="Square" on={now.square} onChange={(square) => set({ square })} />
      </Row>
    </Part>
  );
}

type Heights = Receiver['heights'];

/** What it takes for heights. */
export function HeightsRulePart({ now, set }: PartProps) {
  const { heights } = now;
  return (
    <Part title="Heights">
      <Row label="Are">
        <Select label="Heights are" value={heights.by} choices={RULES} onChange={(by) => set({ heights: BEGUN[by] })} />
      </Row>
      <RuleRows heights={heights} rule={(part) => set({ heights: { ...heights, ...part } as Heights })} />
      <Row label="Country around" help="It has a height of its own around the ground.">
        <Switch label="Country around" on={now.around !== null} onChange={(on) => set({ around: on ? 0 : null })} />
      </Row>
      {now.around !== null && <Whole label="Its height" value={now.around} onChange={(around) => set({ around })} unit="m" />}
    </Part>
  );
}

/** The numbers of the rule that is chosen. */
function RuleRows({ heights, rule }: { heights: Heights; rule: (part: object) => void }) {
  switch (heights.by) {
    case 'metres':
      return null;
    case 'range':
      return (
        <>
          <Row label="Ends of the type" help="Off: two codes of its own, such as 0 and 65 280.">
            <Switch label="Ends of the type" on={!heights.codes} onChange={(on) => rule({ codes: on ? undefined : { low: 0, high: 65_280 } })} />
          </Row>
          {heights.codes && <Whole label="Lower code" value={heights.codes.low} onChange={(low) => rule({ codes: { ...heights.codes!, low } })} />}
          {heights.codes && <Whole label="Higher code" value={heights.codes.high} onChange={(high) => rule({ codes: { ...heights.codes!, high } })} />}
        </>
      );
    case 'zero':
      return (
        <>
          <Whole label="Zero code" value={heights.code} onChange={(code) => rule({ code })} help="The code of height 0." />
          <Whole label="Over all codes" value={heights.overAll} onChange={(overAll) => rule({ overAll })} help="At a vertical scale of 1." unit="m" />
          <Row label="Steps" help="Whether its span is one step more than its largest code.">
            <Segments label="Steps" value={heights.steps} choices={{ '2^b': '2ᵇ', '2^b - 1': '2ᵇ − 1' }} onChange={(steps) => rule({ steps })} />
          </Row>
        </>
      );
    case 'unit':
      return (
        <Row label="Base value (mid level)" help="The value at which the plane stays where it is.">
          <NumberField label="Base value (mid level)" value={heights.zero} min={0} max={1} step={0.01} onChange={(zero) => rule({ zero })} />
        </Row>
      );
    case 'blocks':
      return (
        <>
          <Whole label="Floor row" value={heights.floor} onChange={(floor) => rule({ floor: Math.round(floor) })} />
          <Whole label="Ceiling row" value={heights.ceiling} onChange={(ceiling) => rule({ ceiling: Math.round(ceiling) })} />
          <Whole
            label="Water row"
            value={heights.water}
            onChange={(water) => rule({ water: Math.round(water) })}
            help="The sea stays there and the land moves."
          />
          <Whole label="A block is" value={heights.edge} onChange={(edge) => rule({ edge })} unit="m" />
        </>
      );
    case 'print':
      return (
        <>
          <Whole label="Scale 1 :" value={heights.scale} onChange={(scale) => rule({ scale })} />
          <Whole label="Base" value={heights.base} onChange={(base) => rule({ base })} unit="mm" />
        </>
      );
  }
}

/** The formats it takes, and how they are laid out. */
export function FormatsPart({ now, set }: PartProps) {
  return (
    <Part title="Formats">
      <div className={css.formats}>
        {formats
          .filter((f) => !f.readOnly)
          .map((f) => {
            const taken = now.formats.find((t) => t.format === f.id);
            return (
              <div key={f.id}>
                <label>
                  <input
                    type="checkbox"
                    checked={Boolean(taken)}
                    onChange={() =>
                      set({
                        formats: taken ? now.formats.filter((t) => t !== taken) : [...now.formats, { format: f.id, types: [...f.writes] as SampleType[] }],
                      })
                    }
                  />
                  {f.title}
                </label>
                {taken && <span>{taken.types.map((t) => TYPE_NAMES[t]).join(', ')}</span>}
              </div>
            );
          })}
      </div>
      <Row label="Raw byte order">
        <Segments
          label="Raw byte order"
          value={now.raw.order}
          choices={{ le: 'Little-endian', be: 'Big-endian' }}
          onChange={(order) => set({ raw: { ...now.raw, order } })}
        />
      </Row>
      <Row label="Raw first row">
        <Segments
          label="Raw first row"
          value={now.raw.rows}
          choices={{ north: 'North', south: 'South' }}
          onChange={(rows) => set({ raw: { ...now.raw, rows } })}
        />
      </Row>
      <Row label="Green of normals">
        <Segments label="Green of normals" value={now.green} choices={{ up: '+Y up', down: '+Y down' }} onChange={(green) => set({ green })} />
      </Row>
    </Part>
  );
}
