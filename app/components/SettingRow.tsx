import type { ParamMeta } from '@upland-cast/core';
import { NumberField, Row, Segments, Select, SliderRow, Switch } from './controls';
import css from './SettingRow.module.css';

/** Up to so many choices, of so many letters together, stand side by side. */
const BESIDE = { narrow: { choices: 3, letters: 20 }, wide: { choices: 6, letters: 34 } };

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
          {Object.keys(choices!).length <= beside.choices && Object.values(choices!).join('').length <= beside.letters ? (
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
