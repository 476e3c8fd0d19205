import { useState } from 'react';
import { waterRulesOf, type WaterRules } from '@upland-cast/core';
import { Button, NumberField, Row } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { SwitchRow } from '../../../components/SettingRow';
import { change } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import css from './GroundDialog.module.css';

const ROWS: readonly {
  key: 'leastDepth' | 'leastArea' | 'from' | 'runoff' | 'size';
  of: 'lakes' | 'streams';
  label: string;
  unit: string;
  min: number;
  max: number;
  step: number;
  help: string;
}[] = [
  { key: 'leastDepth', of: 'lakes', label: 'Deep as', unit: 'm', min: 0, max: 1_000, step: 0.1, help: 'Hollows that are less deep hold no lake.' },
  { key: 'leastArea', of: 'lakes', label: 'Large as', unit: 'm²', min: 0, max: 1e9, step: 100, help: 'Smaller ones hold no lake.' },
  {
    key: 'from',
    of: 'streams',
    label: 'Begin at',
    unit: 'm',
    min: 1,
    max: 100_000,
    step: 10,
    help: 'A stream is seen where the water of a square this wide has gathered.',
  },
  { key: 'runoff', of: 'streams', label: 'Runs off', unit: 'm/a', min: 0.01, max: 20, step: 0.05, help: 'Metres of rain a year that reach the streams.' },
  {
    key: 'size',
    of: 'streams',
    label: 'Size',
    unit: '×',
    min: 0.1,
    max: 20,
    step: 0.1,
    help: 'Times the width and depth that rivers of such a flow usually have.',
  },
];

/** What counts as a lake and as a stream on this terrain: seen in the view, in masks, and handed on as maps. */
export function WaterDialog({ onClose }: { onClose: () => void }) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const [draft, setDraft] = useState<WaterRules>(() => waterRulesOf(course));
  const set = (part: Partial<WaterRules>) => setDraft({ ...draft, ...part });
  const rows = (of: 'lakes' | 'streams') =>
    ROWS.filter((row) => row.of === of && draft[of]).map(({ key, label, unit, min, max, step, help }) => (
      <Row key={key} label={label} help={help}>
        <NumberField label={label} value={draft[key]} unit={unit} min={min} max={max} step={step} disabled={readOnly} onChange={(v) => set({ [key]: v })} />
      </Row>
    ));
  return (
    <Dialog title="Lakes and streams" onClose={onClose}>
      <div className={css.form}>
        <p>They are found where water gathers on the finished ground. The sea is set with the ground.</p>
        <SwitchRow label="Lakes" words="Lakes, each at the level of its way out" on={draft.lakes} disabled={readOnly} onChange={(lakes) => set({ lakes })} />
        {rows('lakes')}
        <SwitchRow
          label="Streams"
          words="Streams, as wide as their water makes them"
          on={draft.streams}
          disabled={readOnly}
          onChange={(streams) => set({ streams })}
        />
        {rows('streams')}
        <div className={css.buttons}>
          <Button onClick={onClose}>Leave it</Button>
          <Button
            look="main"
            disabled={readOnly}
            onClick={() => {
              change('Set lakes and streams', (c) => void (c.water = draft));
              onClose();
            }}
          >
            Set them
          </Button>
        </div>
      </div>
    </Dialog>
  );
}
