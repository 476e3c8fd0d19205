import { Sun } from 'lucide-react';
import { useState } from 'react';
import { Button, NumberField, Row, Segments, Select, SliderRow, Switch } from '../../../components/controls';
import { figure } from '../../../components/format';
import { SKIES } from '../../../store/light';
import { useTerrain, type ViewSettings } from '../../../store/state';
import { sunAt } from '../../../drawing/sky';
import { SunDome } from './SunDome';
import css from './LightPanel.module.css';

const set = (part: Partial<ViewSettings>) => useTerrain.setState(({ view }) => ({ view: { ...view, ...part } }));

/** Opens the light's panel. */
export function LightButton() {
  const open = useTerrain((s) => s.view.lightPanel);
  return (
    <Button
      square
      aria-label="Light"
      aria-expanded={open}
      aria-pressed={open}
      title="Light: sun, sky and air, or the neutral light for judging form"
      onClick={() => set({ lightPanel: !open })}
    >
      <Sun size={14} />
    </Button>
  );
}

const SEASONS = { '-1': 'Midwinter', '0': 'Spring or autumn', '1': 'Midsummer' };

/** The light on the ground: which of the two, where the sun stands, and how clear the day is. */
export function LightPanel() {
  const view = useTerrain((s) => s.view);
  const byDay = view.light === 'day';
  return (
    <section className={css.panel} aria-label="Light">
      <Segments label="Light" value={view.light} choices={{ day: 'Day', working: 'Working light' }} onChange={(light) => set({ light })} />
      <div className={css.dome}>
        <SunDome
          azimuth={view.sun}
          altitude={byDay ? view.sunHeight : 34}
          fixed={!byDay}
          onChange={(sun, sunHeight) => set(byDay ? { sun, sunHeight } : { sun })}
        />
        <div className={css.facts}>
          <span className="number">from {figure(view.sun, 0)}°</span>
          {byDay && (
            <span className="number">{view.sunHeight < 0 ? `${figure(-view.sunHeight, 0)}° under the horizon` : `${figure(view.sunHeight, 0)}° high`}</span>
          )}
          {!byDay && <span>Neutral, for judging form. Drapes of data are always read in it.</span>}
        </div>
      </div>
      {byDay && (
        <>
          <TimeOfDay view={view} />
          {AIR.map(({ key, ...row }) => (
            <SliderRow key={key} {...row} value={view[key]} onChange={(value) => set({ [key]: value })} />
          ))}
          <Row label="Grain near the eye" help="Rock, scree and turf as they are from near. In the light only: heights are not touched.">
            <Switch label="Grain near the eye" on={view.grain} onChange={(grain) => set({ grain })} />
          </Row>
        </>
      )}
    </section>
  );
}

/** How clear the day is. */
const AIR = [
  { key: 'haze', label: 'Air', help: 'How much haze lies between: 1 is a clear day.', min: 0, max: 6, step: 0.1 },
  { key: 'turbidity', label: 'Sky haze', help: 'Preetham’s turbidity: 2 is very clear, 6 hazy.', min: 1.8, max: 8, step: 0.1 },
  { key: 'soft', label: 'Soft edges', help: 'How many times as wide as the sun’s own disc the light is.', min: 1, max: 12, step: 0.5 },
] as const;

/** Where the sun stands, by name, or by hour, latitude and season. */
function TimeOfDay({ view }: { view: ViewSettings }) {
  const [at, setAt] = useState({ hour: 16, latitude: 54, season: 0 });
  const sky = Object.keys(SKIES).find((name) => Object.entries(SKIES[name]).every(([key, value]) => view[key as keyof ViewSettings] === value)) ?? '';
  const toHour = (part: Partial<typeof at>) => {
    const next = { ...at, ...part };
    setAt(next);
    const { azimuth, altitude } = sunAt(next.hour, next.latitude, next.season);
    set({ sun: Math.round(azimuth) % 360, sunHeight: Math.max(-10, Math.round(altitude)) });
  };
  return (
    <>
      <Row label="Sky">
        <Select
          label="Sky"
          value={sky}
          choices={{ ...(sky ? {} : { '': 'As it is set' }), ...Object.fromEntries(Object.keys(SKIES).map((name) => [name, name])) }}
          onChange={(name) => name && set(SKIES[name])}
        />
      </Row>
      <Row label="Hour" help="By the sun: it stands highest at 12.">
        <div className={css.pair}>
          <NumberField label="Hour" unit="h" value={at.hour} min={0} max={24} step={0.25} onChange={(hour) => toHour({ hour })} />
          <NumberField label="Latitude" unit="°" value={at.latitude} min={-90} max={90} step={1} onChange={(latitude) => toHour({ latitude })} />
        </div>
      </Row>
      <Row label="Season">
        <Select label="Season" value={String(at.season) as keyof typeof SEASONS} choices={SEASONS} onChange={(season) => toHour({ season: Number(season) })} />
      </Row>
    </>
  );
}
