import { useRef } from 'react';
import css from './LightPanel.module.css';

const SIZE = 112;
const RADIUS = 46;

interface Props {
  /** Degrees clockwise from north, and above the horizon. */
  azimuth: number;
  altitude: number;
  /** The height stays as it is. */
  fixed: boolean;
  onChange: (azimuth: number, altitude: number) => void;
}

/** The sky from above, north at the top: the sun is dragged to its direction and height at once. Its middle is overhead, its rim the horizon. */
export function SunDome({ azimuth, altitude, fixed, onChange }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const reach = (RADIUS * (90 - Math.max(0, altitude))) / 90;
  const angle = (azimuth * Math.PI) / 180;
  const [x, y] = [SIZE / 2 + reach * Math.sin(angle), SIZE / 2 - reach * Math.cos(angle)];
  const move = (event: React.PointerEvent) => {
    const box = svg.current!.getBoundingClientRect();
    const [dx, dy] = [event.clientX - box.left - box.width / 2, event.clientY - box.top - box.height / 2];
    const away = Math.min(1, Math.hypot(dx, dy) / ((RADIUS * box.width) / SIZE));
    onChange((Math.round((Math.atan2(dx, -dy) * 180) / Math.PI) + 360) % 360, fixed ? altitude : Math.round(90 * (1 - away)));
  };
  return (
    <svg
      ref={svg}
      className={css.sky}
      viewBox={`0 0 ${SIZE} ${SIZE}`}
      role="slider"
      tabIndex={0}
      aria-label="Sun: arrows left and right turn it, up and down raise and lower it"
      aria-valuemin={0}
      aria-valuemax={360}
      aria-valuenow={azimuth}
      aria-valuetext={`from ${azimuth} degrees, ${Math.round(altitude)} degrees high`}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        move(event);
      }}
      onPointerMove={(event) => event.currentTarget.hasPointerCapture(event.pointerId) && move(event)}
      onKeyDown={(event) => {
        const by = event.shiftKey ? 1 : 5;
        const turns: Record<string, [number, number]> = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] };
        const turn = turns[event.key];
        if (!turn) return;
        event.preventDefault();
        onChange((azimuth + turn[0] + 360) % 360, fixed ? altitude : Math.max(-8, Math.min(90, altitude + turn[1])));
      }}
    >
      <circle cx={SIZE / 2} cy={SIZE / 2} r={RADIUS} className={css.rim} />
      {[30, 60].map((height) => (
        <circle key={height} cx={SIZE / 2} cy={SIZE / 2} r={(RADIUS * (90 - height)) / 90} className={css.ring} />
      ))}
      <path d={`M${SIZE / 2} ${SIZE / 2 - RADIUS}V${SIZE / 2 + RADIUS}M${SIZE / 2 - RADIUS} ${SIZE / 2}H${SIZE / 2 + RADIUS}`} className={css.ring} />
      <text x={SIZE / 2} y={SIZE / 2 - RADIUS - 1.5} textAnchor="middle" className={css.north}>
        N
      </text>
      <path d={`M${x} ${y}L${SIZE / 2} ${SIZE / 2}`} className={css.ray} />
      <circle cx={x} cy={y} r={6} className={altitude < 0 ? css.set : css.sun} />
    </svg>
  );
}
