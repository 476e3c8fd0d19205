import L from 'leaflet';
import 'leaflet/dist/leaflet.css';
import { useEffect, useRef, type RefObject } from 'react';
import { zoomsOf } from '../../worlds/zoom';
import type { WorldStatus } from '../../worlds/status';
import { askAgain } from '../../components/ask-again';
import css from './WorldRoom.module.css';

/** A part of a world, in samples. */
export interface Part {
  left: number;
  top: number;
  across: number;
  down: number;
}

interface Props {
  status: WorldStatus;
  /** Shows where tiles meet. */
  borders: boolean;
  /** Told what is seen, whenever the map comes to rest. */
  onSeen: (part: Part) => void;
}

const PICTURE = 256;

/** A world as a map: what is done of it, tile by tile, at any zoom, read from the server when it comes into sight. */
export function WorldMap({ status, borders, onSeen }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const map = useMap(host, status, onSeen);
  usePictures(map, status);
  useTiles(map, status, borders);
  return <div ref={host} className={css.map} role="application" aria-label={`Map of ${status.name}. Arrow keys move it, plus and minus zoom.`} />;
}

type MapRef = RefObject<L.Map | null>;

/** The map's unit: samples of the world that one of its units stands for. */
const scaleOf = (status: WorldStatus) => {
  const zooms = zoomsOf(status);
  return { zooms, unit: 2 ** zooms };
};

function useMap(host: RefObject<HTMLDivElement | null>, status: WorldStatus, onSeen: (part: Part) => void): MapRef {
  const map = useRef<L.Map | null>(null);
  const seen = useRef(onSeen);
  seen.current = onSeen;
  const { id, across, down } = status;
  const { zooms, unit } = scaleOf(status);
  useEffect(() => {
    const at = (left: number, top: number): L.LatLngTuple => [-top / unit, left / unit];
    const whole = L.latLngBounds(at(0, down), at(across, 0));
    const made = L.map(host.current!, {
      crs: L.CRS.Simple,
      minZoom: 0,
      maxZoom: zooms + 2,
      zoomSnap: 0.5,
      attributionControl: false,
      maxBounds: whole.pad(0.4),
    });
    map.current = made;
    made.fitBounds(whole);
    made.setMinZoom(Math.min(0, made.getZoom()));
    const see = () => {
      const b = made.getBounds();
      const [left, top] = [Math.max(0, b.getWest() * unit), Math.max(0, -b.getNorth() * unit)];
      seen.current({ left, top, across: Math.min(across, b.getEast() * unit) - left, down: Math.min(down, -b.getSouth() * unit) - top });
    };
    see();
    made.on('moveend', see);
    // The panel beside may change its width.
    const watcher = new ResizeObserver(() => made.invalidateSize({ animate: false }));
    watcher.observe(host.current!);
    return () => {
      watcher.disconnect();
      made.remove();
      map.current = null;
    };
  }, [host, id, across, down, unit, zooms]);
  return map;
}

/** Pictures of what is done, fetched anew where a tile has become part of one since. */
function usePictures(map: MapRef, status: WorldStatus): void {
  const { id, across, down, range, done, lefts, tops } = status;
  const { zooms, unit } = scaleOf(status);
  const pictures = useRef(new Map<HTMLElement, L.Coords>());
  const source = useRef<(coords: L.Coords, version: string) => string>(() => '');
  const [low, high] = [range?.low, range?.high];
  useEffect(() => {
    if (!map.current || low === undefined || high === undefined) return;
    const held = pictures.current;
    source.current = ({ x, y, z }, version) => `/api/worlds/${encodeURIComponent(id)}/tiles/${z}/${x}/${y}?low=${low}&high=${high}&v=${version}`;
    const layer = L.tileLayer(`/api/worlds/${encodeURIComponent(id)}/tiles/{z}/{x}/{y}?low=${low}&high=${high}`, {
      minNativeZoom: 0,
      maxNativeZoom: zooms,
      minZoom: -4,
      maxZoom: zooms + 2,
      bounds: L.latLngBounds([-down / unit, 0], [0, across / unit]),
      noWrap: true,
    });
    layer.on('tileloadstart', ({ tile, coords }: L.TileEvent) => void held.set(tile, coords));
    layer.on('tileunload', ({ tile }: L.TileEvent) => void held.delete(tile));
    askAgain(layer);
    layer.addTo(map.current).setZIndex(1);
    return () => {
      layer.remove();
      held.clear();
    };
  }, [map, id, low, high, zooms, unit, across, down]);

  const before = useRef({ id, done });
  useEffect(() => {
    const was = before.current;
    before.current = { id, done };
    if (was.id !== id || was.done === done) return;
    const columns = lefts.length - 1;
    const fresh = [...done].flatMap((one, i) => (one === '1' && was.done[i] !== '1' ? [i] : []));
    for (const [picture, coords] of pictures.current) {
      const side = PICTURE * 2 ** (zooms - coords.z);
      const [left, top] = [coords.x * side, coords.y * side];
      const touched = fresh.some((i) => {
        const [row, column] = [Math.floor(i / columns), i % columns];
        return lefts[column] < left + side && lefts[column + 1] > left && tops[row] < top + side && tops[row + 1] > top;
      });
      if (touched) (picture as HTMLImageElement).src = source.current(coords, String(fresh.at(-1)));
    }
  }, [id, done, lefts, tops, zooms]);
}

/** What is not done lies under paper; where tiles meet there are lines, on request. */
function useTiles(map: MapRef, status: WorldStatus, borders: boolean): void {
  const { id, done, lefts, tops } = status;
  const { unit } = scaleOf(status);
  useEffect(() => {
    if (!map.current) return;
    const group = L.layerGroup();
    const columns = lefts.length - 1;
    const renderer = L.canvas();
    for (let i = 0; i < done.length; i++) {
      const isDone = done[i] === '1';
      if (isDone && !borders) continue;
      const [row, column] = [Math.floor(i / columns), i % columns];
      const corners = L.latLngBounds([-tops[row] / unit, lefts[column] / unit], [-tops[row + 1] / unit, lefts[column + 1] / unit]);
      L.rectangle(corners, {
        renderer,
        interactive: false,
        weight: 1,
        color: '#4d4a42',
        opacity: 0.55,
        fillColor: '#e9e4d6',
        fillOpacity: isDone ? 0 : 0.75,
      }).addTo(group);
    }
    group.addTo(map.current);
    return () => void group.remove();
  }, [map, id, done, borders, lefts, tops, unit]);
}
