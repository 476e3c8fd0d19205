import { Check, Expand, Maximize2, Minimize, Palette, Square } from 'lucide-react';
import { findUse, stepById } from '@upland-cast/core';
import { Button, Segments, Toggles } from '../../../components/controls';
import { ToolBar } from '../../../components/ToolBar';
import { LAYER_DRAPES } from '../../../drawing/drapes';
import { standAt } from '../../../store/course';
import { keepWork, setDrape, setWater, stopWork } from '../../../store/evaluation';
import { KEYS, useKeys } from '../../../store/keys';
import { fillWindow, useLayout } from '../../../store/layout';
import { useTerrain, type ViewSettings } from '../../../store/state';
import type { GroundView } from '../../../view/ground/ground-view';
import { CoverPanel } from './CoverPanel';
import { LightButton, LightPanel } from './LightPanel';
import { SpotsPanel } from './SpotsPanel';
import { ViewsPanel } from './ViewsPanel';
import css from './GroundCanvas.module.css';

const EXAGGERATIONS = [1, 1.5, 2, 3, 5];

/** How the ground is seen: which way, with what over it and beside it. */
export function ViewToolBar({ view }: { view: GroundView | null }) {
  const settings = useTerrain((s) => s.view);
  const set = (part: Partial<ViewSettings>) => useTerrain.setState({ view: { ...settings, ...part } });
  const frameKey = useKeys((s) => s.own.frameAll) ?? KEYS.frameAll.usual;
  return (
    <ToolBar label="The view" className={css.bar}>
      <Segments
        label="View"
        value={settings.camera}
        choices={{ relief: 'Relief', plan: 'Plan', section: 'Section', land: 'Land' }}
        onChange={(camera) => set({ camera })}
      />
      <DrapeSelect drape={settings.drape} />
      {settings.drape === 'ground' && (
        <Button
          square
          aria-label="Rules of the ground colour"
          aria-expanded={settings.coverPanel}
          aria-pressed={settings.coverPanel}
          title="Ground colour: what covers the ground, by which rules"
          onClick={() => set({ coverPanel: !settings.coverPanel })}
        >
          <Palette size={14} />
        </Button>
      )}
      <Toggles
        label="Over it"
        items={[
          { key: 'contours', text: 'Contours', on: settings.contours, onToggle: () => set({ contours: !settings.contours }) },
          { key: 'mesh', text: 'Mesh lines', on: settings.meshLines, onToggle: () => set({ meshLines: !settings.meshLines }) },
          { key: 'water', text: 'Water', on: settings.water, onToggle: () => setWater(!settings.water) },
        ]}
      />
      <Exaggeration value={settings.exaggeration} onChange={(exaggeration) => set({ exaggeration })} />
      <LightButton />
      <Toggles
        label="Beside it"
        items={[
          { key: 'spots', text: 'Spots', on: settings.spots, onToggle: () => set({ spots: !settings.spots }) },
          { key: 'views', text: 'Views', on: settings.views, onToggle: () => set({ views: !settings.views }) },
        ]}
      />
      <Button square aria-label="Show all of the ground" title={`Show all of it (${frameKey})`} onClick={() => view?.frameAll()}>
        <Maximize2 size={14} />
      </Button>
      <FillButton />
    </ToolBar>
  );
}

function DrapeSelect({ drape }: { drape: ViewSettings['drape'] }) {
  return (
    <label className={css.times} title="What lies over the ground">
      <span className="only-read">Drape</span>
      <select value={drape} onChange={(event) => setDrape(event.target.value as ViewSettings['drape'])}>
        <option value="ground">Ground colour</option>
        <option value="tint">Tint</option>
        <option value="shade">Shade</option>
        {Object.entries(LAYER_DRAPES).map(([id, { name }]) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}

function Exaggeration({ value, onChange }: { value: number; onChange: (times: number) => void }) {
  return (
    <label className={css.times} title="Vertical exaggeration: heights are drawn this many times as large">
      <span className="only-read">Vertical exaggeration</span>
      <select value={value} onChange={(event) => onChange(Number(event.target.value))}>
        {EXAGGERATIONS.map((x) => (
          <option key={x} value={x}>
            ×{x.toFixed(1)}
          </option>
        ))}
      </select>
    </label>
  );
}

/** The ground alone, and back. */
function FillButton() {
  const filled = useLayout((s) => s.filled);
  const key = useKeys((s) => s.own.fillWindow) ?? KEYS.fillWindow.usual;
  return (
    <Button
      square
      aria-label="The view fills the window"
      aria-pressed={filled}
      title={`${filled ? 'With its panels again' : 'The view fills the window'} (${key})`}
      onClick={() => fillWindow()}
    >
      {filled ? <Minimize size={14} /> : <Expand size={14} />}
    </Button>
  );
}

/** What is open under the tool bar, where the view stands in the course, and the work under way. */
export function UnderToolBar({ view }: { view: GroundView | null }) {
  const settings = useTerrain((s) => s.view);
  const working = useTerrain((s) => s.working);
  const standing = useTerrain((s) => (s.standing ? findUse(s.course!, s.standing)?.use : undefined));
  return (
    <div className={css.under}>
      <div>
        {settings.spots && <SpotsPanel />}
        {settings.coverPanel && settings.drape === 'ground' && <CoverPanel />}
        {!settings.spots && settings.exaggeration !== 1 && <p className={css.honest}>Heights are drawn {settings.exaggeration} times as large.</p>}
      </div>
      <div>
        {standing && (
          <p className={css.standing}>
            As after <b>{standing.name || stepById(standing.step).title}</b>
            <Button onClick={() => standAt(null)}>To the end</Button>
          </p>
        )}
      </div>
      <div>
        {working && (
          <div className={css.working} role="status">
            <span>
              {working.step} <b className="number">{Math.round(working.share * 100)} %</b>
            </span>
            <progress max={1} value={working.share} />
            {working.keeps && (
              <Button onClick={keepWork} title="End this step here and keep the ground as it is now">
                <Check size={12} /> Stop and keep
              </Button>
            )}
            <Button onClick={stopWork}>
              <Square size={11} fill="currentColor" /> Stop
            </Button>
          </div>
        )}
        {settings.lightPanel && <LightPanel />}
        {settings.views && <ViewsPanel view={view} />}
      </div>
    </div>
  );
}
