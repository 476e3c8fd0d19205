import type { ParamMeta } from '@upland-cast/core';
import { NumberField, Row, Segments, Select, SliderRow, Switch } from './controls';
import css from './SettingRow.module.css';

/** Up to so many choices stand side by side where they take no more room together, in letters; the rim of each counts as three. */
const BESIDE = { narrow: { choices: 3, room: 26 }, wide: { choices: 6, room: 46 } };
const roomOf = (choices: Record<string, string>) => Object.values(choices).reduce((sum, words) => sum + words.length + 3, 0);

interface SettingProps {
  meta: ParamMeta;
  value: unknown;
  disabled?: boolean;
  /** `gesture`: one of many changes that belong together, until `onDone`. */
  onChange: (value: unknown, gesture?: boolean) => void;
  onDone?: () => void;
  /** There is room for many choices side by side, and a switch has its words after it. */
  wide?: boolean;
}

interface SwitchRowProps {
  label: string;
  on: boolean;
  onChange: (on: boolean) => void;
  disabled?: boolean;
  help?: string;
  /** What stands behind it; left out: its label. */
  words?: string;
}

/** A switch with its words behind it. */
export function SwitchRow({ label, on, onChange, disabled, help, words = label }: SwitchRowProps) {
  return (
    <label className={css.check} title={help}>
      <Switch label={label} on={on} disabled={disabled} onChange={onChange} />
      <span>{words}</span>
    </label>
  );
}

/** One setting, made from what its schema says of it: a choice, a switch or a number. */
export function SettingRow({ meta, value, disabled, onChange, onDone, wide = false }: SettingProps) {
  const beside = BESIDE[wide ? 'wide' : 'narrow'];
  const { label, help, choices } = meta;
  if (choices && meta.kind !== 'choice') {
    const known = String(value) in choices ? choices : { ...choices, [String(value)]: String(value) };
    return (
      <Row label={label} help={help}>
        <Segments label={label} value={String(value)} choices={known} onChange={(v) => onChange(Number(v))} />
      </Row>
    );
  }
  switch (meta.kind) {
    case 'choice':
      return (
        <Row label={label} help={help}>
          {Object.keys(choices!).length <= beside.choices && roomOf(choices!) <= beside.room ? (
            <Segments label={label} value={String(value)} choices={choices!} onChange={(v) => onChange(v)} />
          ) : (
            <Select label={label} value={String(value)} choices={choices!} disabled={disabled} onChange={(v) => onChange(v)} />
          )}
        </Row>
      );
    case 'switch':
      return wide ? (
        <SwitchRow label={label} on={Boolean(value)} disabled={disabled} onChange={(on) => onChange(on)} help={help} />
      ) : (
        <Row label={label} help={help}>
          <Switch label={label} on={Boolean(value)} disabled={disabled} onChange={(on) => onChange(on)} />
        </Row>
      );
    default: {
      const number = {
        label,
        value: Number(value),
        unit: meta.unit,
        min: meta.min!,
        max: meta.max!,
        step: meta.step,
        disabled,
        onChange: (v: number) => onChange(meta.kind === 'count' ? Math.round(v) : v, true),
        onDone,
      };
      if (!meta.typed) return <SliderRow {...number} show={meta.kind === 'ratio' ? 100 : 1} logarithmic={meta.logarithmic} span={meta.span} help={help} />;
      return (
        <Row label={label} help={help}>
          <NumberField {...number} />
        </Row>
      );
    }
  }
}
