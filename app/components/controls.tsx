import { createContext, isValidElement, useContext, useEffect, useId, useState, type ButtonHTMLAttributes, type ReactNode } from 'react';
import { figure } from './format';
import css from './controls.module.css';

/** The id that the label of a row is for: the one control that stands in it takes it. */
const RowContext = createContext<string | undefined>(undefined);

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { look?: 'plain' | 'main' | 'quiet'; square?: boolean };

export function Button({ look = 'plain', square, className = '', type = 'button', ...rest }: ButtonProps) {
  const looks = look === 'plain' ? '' : css[look];
  return <button type={type} className={`${css.button} ${looks} ${square ? css.square : ''} ${className}`} {...rest} />;
}

export function Segments<T extends string>({
  label,
  choices,
  value,
  onChange,
  dark,
}: {
  label: string;
  choices: Record<T, string>;
  value: T;
  onChange: (value: T) => void;
  dark?: boolean;
}) {
  const keys = Object.keys(choices) as T[];
  return (
    <div className={`${css.segments} ${dark ? css.dark : ''}`} role="radiogroup" aria-label={label}>
      {keys.map((key) => (
        <button
          key={key}
          type="button"
          role="radio"
          className={css.segment}
          aria-checked={value === key}
          tabIndex={value === key ? 0 : -1}
          onClick={() => onChange(key)}
          onKeyDown={(event) => {
            const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
            if (!by) return;
            event.preventDefault();
            const next = keys[(keys.indexOf(value) + by + keys.length) % keys.length];
            onChange(next);
            ((event.currentTarget.parentElement?.children[keys.indexOf(next)] as HTMLElement) ?? null)?.focus();
          }}
        >
          {choices[key]}
        </button>
      ))}
    </div>
  );
}

/** Buttons side by side that are each on or off. */
export function Toggles({ label, items }: { label: string; items: { key: string; text: string; on: boolean; onToggle: () => void }[] }) {
  return (
    <div className={css.segments} role="group" aria-label={label}>
      {items.map(({ key, text, on, onToggle }) => (
        <button key={key} type="button" className={css.segment} aria-pressed={on} onClick={onToggle}>
          {text}
        </button>
      ))}
    </div>
  );
}

export function Switch({ label, on, onChange, disabled }: { label: string; on: boolean; onChange: (on: boolean) => void; disabled?: boolean }) {
  const id = useContext(RowContext);
  return (
    <button id={id} type="button" role="switch" className={css.switch} aria-label={label} aria-checked={on} disabled={disabled} onClick={() => onChange(!on)} />
  );
}

interface NumberProps {
  label: string;
  value: number;
  unit?: string;
  min: number;
  max: number;
  step?: number;
  /** Shown value = value × show. */
  show?: number;
  disabled?: boolean;
  onChange: (value: number) => void;
  onDone?: () => void;
  id?: string;
  describedBy?: string;
}

const digitsOf = (step: number) => Math.max(0, Math.min(6, Math.ceil(-Math.log10(step) - 1e-9)));

/** A number as people type it: with spaces between thousands, a true minus, a comma for the point. */
const numberTyped = (raw: string): number =>
  Number(
    raw
      .replace(/[\s\u2009]/g, '')
      .replace('−', '-')
      .replace(',', '.'),
  );

/** A number that is typed: taken on Enter or on leaving, set back on Escape, moved by the arrow keys. */
export function NumberField({ label, value, unit = '', min, max, step = 1, show = 1, disabled, onChange, onDone, id, describedBy }: NumberProps) {
  const labelled = useContext(RowContext);
  const digits = digitsOf(step * show);
  const [text, setText] = useState<string | null>(null);
  const [wrong, setWrong] = useState(false);
  useEffect(() => setWrong(false), [value]);
  const take = (raw: string) => {
    const number = numberTyped(raw) / show;
    if (raw.trim() === '' || !Number.isFinite(number) || number < min || number > max) {
      setWrong(true);
      return;
    }
    setWrong(false);
    setText(null);
    if (number !== value) onChange(number);
    onDone?.();
  };
  const bounds = `${figure(min * show, digits)} to ${figure(max * show, digits)}${unit ? ` ${unit}` : ''}`;
  return (
    <span className={css.withUnit} style={{ ['--unit-room' as string]: `${8 + unit.length * 8}px` }}>
      <input
        id={id ?? labelled}
        className={css.field}
        inputMode="decimal"
        aria-label={label}
        aria-invalid={wrong}
        aria-describedby={describedBy}
        title={wrong ? `It takes ${bounds}.` : bounds}
        disabled={disabled}
        value={text ?? figure(value * show, digits)}
        onFocus={(event) => event.currentTarget.select()}
        onChange={(event) => setText(event.target.value)}
        onBlur={() => {
          if (text !== null) {
            take(text);
            setText(null);
          }
        }}
        onKeyDown={(event) => {
          if (event.key === 'Enter') take(event.currentTarget.value);
          else if (event.key === 'Escape') {
            setText(null);
            setWrong(false);
          } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
            event.preventDefault();
            const by = (event.key === 'ArrowUp' ? 1 : -1) * step * (event.shiftKey ? 10 : 1);
            setText(null);
            onChange(Math.min(max, Math.max(min, Math.round((value + by) / step) * step)));
          }
        }}
      />
      {unit && <span className={css.unit}>{unit}</span>}
    </span>
  );
}

/** A setting with a slider and its number beside it; `span`: what the slider reaches, where the number may be more or less. */
export function SliderRow({ logarithmic, span, help, ...props }: NumberProps & { logarithmic?: boolean; span?: readonly [number, number]; help?: string }) {
  const { label, value, step = 1, disabled, onChange, onDone } = props;
  const [min, max] = span ?? [props.min, props.max];
  const id = useId();
  const low = logarithmic ? Math.log(Math.max(min, step)) : min;
  const high = logarithmic ? Math.log(max) : max;
  const at = logarithmic ? Math.log(Math.max(value, Math.max(min, step))) : value;
  const share = high > low ? (at - low) / (high - low) : 0;
  return (
    <div className={css.row} title={help}>
      <label className={css.label} htmlFor={id}>
        {label}
      </label>
      <input
        className={css.slider}
        style={{ ['--filled' as string]: `${Math.min(100, Math.max(0, share * 100))}%` }}
        type="range"
        aria-label={`${label}, slider`}
        min={low}
        max={high}
        step={logarithmic ? (high - low) / 400 : step}
        value={at}
        disabled={disabled}
        onChange={(event) => {
          const raw = logarithmic ? Math.exp(Number(event.target.value)) : Number(event.target.value);
          // Large logarithmic settings move in whole three-figure numbers, not in endless decimals.
          const size = logarithmic ? Math.max(step, 10 ** Math.floor(Math.log10(raw) - 1)) : step;
          onChange(Math.min(max, Math.max(min, Number((Math.round(raw / size) * size).toFixed(6)))));
        }}
        onPointerUp={onDone}
        onBlur={onDone}
      />
      <NumberField {...props} id={id} />
    </div>
  );
}

/** A slider of a share, shown in percent. */
export const ShareRow = (props: Pick<NumberProps, 'label' | 'value' | 'disabled' | 'onChange' | 'onDone'> & { help?: string }) => (
  <SliderRow {...props} unit="%" show={100} min={0} max={1} step={0.01} />
);

export function Row({ label, children, help }: { label: string; children: ReactNode; help?: string }) {
  const id = useId();
  // A control that stands alone is what the label is for; pressing it presses the switch, or goes to the field.
  const alone = isValidElement(children) && typeof children.type !== 'string';
  return (
    <div className={css.rowWide} title={help}>
      {alone ? (
        <label className={css.label} htmlFor={id}>
          {label}
        </label>
      ) : (
        <span className={css.label}>{label}</span>
      )}
      <RowContext value={alone ? id : undefined}>{children}</RowContext>
    </div>
  );
}

export function Select<T extends string>({
  label,
  value,
  choices,
  onChange,
  disabled,
}: {
  label: string;
  value: T;
  choices: Record<T, string>;
  onChange: (value: T) => void;
  disabled?: boolean;
}) {
  const id = useContext(RowContext);
  return (
    <select
      id={id}
      className={`${css.field} ${css.text}`}
      aria-label={label}
      value={value}
      disabled={disabled}
      onChange={(event) => onChange(event.target.value as T)}
    >
      {(Object.keys(choices) as T[]).map((key) => (
        <option key={key} value={key}>
          {choices[key]}
        </option>
      ))}
    </select>
  );
}

interface TextProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  disabled?: boolean;
  empty?: boolean;
  placeholder?: string;
}

/** A line of text, taken when the field is left; without `empty` it never becomes empty. */
export function TextField({ label, value, onChange, disabled, empty, placeholder }: TextProps) {
  const id = useContext(RowContext);
  const [text, setText] = useState<string | null>(null);
  const take = () => {
    if (text !== null && (empty || text.trim()) && text !== value) onChange(text.trim());
    setText(null);
  };
  return (
    <input
      id={id}
      className={`${css.field} ${css.text}`}
      aria-label={label}
      disabled={disabled}
      placeholder={placeholder}
      value={text ?? value}
      onChange={(event) => setText(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur();
        else if (event.key === 'Escape') setText(null);
      }}
    />
  );
}
