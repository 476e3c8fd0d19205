import { figure } from '../../../components/format';
import type { Aspect } from '../../../view/ground/cameras';
import { isLayerDrape, LAYER_DRAPES, type LayerDrape, type LayerPicture } from '../../../drawing/drapes';
import { roundInterval, TINT } from '../../../drawing/ramp';
import type { ViewSettings } from '../../../store/state';
import css from './GroundCanvas.module.css';

/** An area as people say it. */
const area = (squareMetres: number) =>
  squareMetres >= 1e6
    ? `${figure(squareMetres / 1e6, squareMetres >= 1e7 ? 0 : 1)} km²`
    : squareMetres >= 1e4
      ? `${figure(squareMetres / 1e4, 1)} ha`
      : `${figure(squareMetres, 0)} m²`;

/** What a drape's scale is of. */
function drapeWords({ name, unit, diverging }: LayerDrape): string {
  if (unit === 'm²') return `${name}: land that drains through`;
  if (unit === '%') return `${name}: soft to hard`;
  return diverging ? name : `${name}, depth`;
}

function LayerLegend({ layer }: { layer: LayerPicture }) {
  const drape: LayerDrape = LAYER_DRAPES[layer.drape];
  if (!layer.values) return <span>{drape.absent}</span>;
  const shown = (value: number) => (drape.unit === 'm²' ? area(value) : `${figure(value, Math.abs(value) < 10 ? 1 : 0)} ${drape.unit}`);
  return (
    <>
      <span className={css.ramp} style={{ background: `linear-gradient(to right, ${drape.ramp.map(([at, c]) => `${c} ${at * 100}%`).join(', ')})` }} />
      <span className={`${css.ends} number`}>
        <span>{drape.diverging ? `cut ${shown(-layer.low)}` : shown(layer.low)}</span>
        {drape.diverging && <span>0</span>}
        <span>{drape.diverging ? `fill ${shown(layer.high)}` : `${drape.unit === 'm' ? '≥ ' : ''}${shown(layer.high)}`}</span>
      </span>
      <span>
        {drapeWords(drape)}
        {layer.of && `, ${layer.of}`}
      </span>
    </>
  );
}

interface LegendProps {
  settings: ViewSettings;
  layer: LayerPicture | null;
  masked: boolean;
  low: number;
  high: number;
  aspect: Aspect;
}

/** What colours and lines over the ground mean. */
export function Legend({ settings, layer, masked, low, high, aspect }: LegendProps) {
  const lines: string[] = [];
  if (settings.contours) lines.push(`contours every ${aspect.contourInterval} m`);
  if (settings.meshLines) lines.push(aspect.meshEvery === 1 ? 'mesh lines: every sample' : `mesh lines: every ${aspect.meshEvery} samples`);
  return (
    <div className={css.legend}>
      {isLayerDrape(settings.drape) && layer && !masked && <LayerLegend layer={layer} />}
      {settings.drape === 'tint' && !masked && (
        <>
          <span className={css.ramp} style={{ background: `linear-gradient(to right, ${TINT.map(([at, c]) => `${c} ${at * 100}%`).join(', ')})` }} />
          <span className={`${css.ends} number`}>
            <span>{figure(low, 0)}</span>
            <span>{figure(high, 0)} m</span>
          </span>
        </>
      )}
      {masked && (
        <>
          <span className={css.maskRamp} />
          <span className={`${css.ends} number`}>
            <span>acts 0</span>
            <span>100 %</span>
          </span>
        </>
      )}
      {lines.map((line) => (
        <span key={line}>{line}</span>
      ))}
    </div>
  );
}

export function ScaleAndNorth({ aspect, relief }: { aspect: Aspect; relief: boolean }) {
  const length = roundInterval(aspect.metresPerPixel * 120, 1);
  const pixels = length / aspect.metresPerPixel;
  return (
    <div className={css.corner}>
      <svg className={css.north} width="26" height="34" viewBox="-13 -17 26 34" aria-label={`North is ${Math.round(aspect.north)} degrees from up`}>
        <g transform={`rotate(${aspect.north})`}>
          <path d="M0 -14L5 4L0 1L-5 4Z" />
          <text y="15" textAnchor="middle">
            N
          </text>
        </g>
      </svg>
      <div className={css.scale} style={{ width: pixels }}>
        <span className="number">
          <span>0</span>
          <span>{length >= 1000 ? `${figure(length / 1000, length % 1000 ? 1 : 0)} km` : `${figure(length, length < 1 ? 1 : 0)} m`}</span>
        </span>
        <i />
        {relief && <small>mid-view</small>}
      </div>
    </div>
  );
}
