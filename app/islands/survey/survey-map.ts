import L from 'leaflet';
import { useEffect, useRef, useState, type RefObject } from 'react';
import { borders, COUNTRY, places, roads } from '@upland-cast/core';
import { askAgain } from '../../components/ask-again';
import css from './Survey.module.css';
import { CORNERS, query, WHOLE_COUNTRY, withCornerAt, type Frame } from './frame';

/** Leaflet counts up northwards in units of the tiles at zoom 0. */
const UNIT = 360;
const at = (east: number, south: number): L.LatLngTuple => [-south / UNIT, east / UNIT];
const placeOf = ({ lat, lng }: L.LatLng) => ({ east: lng * UNIT, south: -lat * UNIT });

export type SurveyMap = RefObject<L.Map | null>;

/** The metres that the middle of the map stands for. */
export const middleOf = (map: SurveyMap) => placeOf(map.current!.getCenter());

/** The map in its element, and the part of the country that is seen. */
export function useSurveyMap(host: RefObject<HTMLDivElement | null>): { map: SurveyMap; view: Frame | null } {
  const map = useRef<L.Map | null>(null);
  const [view, setView] = useState<Frame | null>(null);
  useEffect(() => {
    const made = L.map(host.current!, {
      crs: L.CRS.Simple,
      minZoom: 0,
      maxZoom: 6,
      zoomSnap: 0.5,
      attributionControl: false,
      maxBounds: L.latLngBounds(at(-9_000, COUNTRY.depth + 9_000), at(COUNTRY.width + 9_000, -9_000)),
    });
    map.current = made;
    made.fitBounds(L.latLngBounds(at(0, COUNTRY.depth), at(COUNTRY.width, 0)));
    const see = () => {
      const b = made.getBounds();
      setView({
        east: b.getWest() * UNIT,
        south: -b.getNorth() * UNIT,
        width: (b.getEast() - b.getWest()) * UNIT,
        depth: (b.getNorth() - b.getSouth()) * UNIT,
      });
    };
    see();
    made.on('moveend', see);
    return () => {
      made.remove();
      map.current = null;
    };
  }, [host]);
  return { map, view };
}

export type TintRange = { low: number; high: number } | null;

/** The range that tints run over: of this view, or of the whole country. */
export function useTintRange(view: Frame | null, shading: 'view' | 'country', floor: boolean): TintRange {
  const [range, setRange] = useState<TintRange>(null);
  useEffect(() => {
    if (!view) return;
    const stop = new AbortController();
    void fetch(`/api/survey/range?${query(shading === 'view' ? view : WHOLE_COUNTRY)}&floor=${floor ? 1 : 0}`, { signal: stop.signal })
      .then((answer) => answer.json())
      .then((answer) => 'low' in answer && setRange({ low: Math.floor(answer.low / 10) * 10, high: Math.ceil(answer.high / 10) * 10 }))
      .catch(() => undefined);
    return () => stop.abort();
  }, [view, shading, floor]);
  return range;
}

/** The tinted ground. */
export function useTints(map: SurveyMap, range: TintRange, floor: boolean): void {
  useEffect(() => {
    if (!map.current || !range) return;
    const layer = L.tileLayer(`/api/survey/tiles/{z}/{x}/{y}?low=${range.low}&high=${range.high}&floor=${floor ? 1 : 0}`, {
      minNativeZoom: 0,
      maxNativeZoom: 5,
      maxZoom: 6,
      bounds: L.latLngBounds(at(0, COUNTRY.depth), at(COUNTRY.width, 0)),
      noWrap: true,
    });
    askAgain(layer);
    layer.addTo(map.current).setZIndex(1);
    return () => void layer.remove();
  }, [map, range, floor]);
}

const line = (points: readonly (readonly [number, number])[], options: L.PolylineOptions) =>
  L.polyline(
    points.map(([e, s]) => at(e, s)),
    { ...options, interactive: false },
  );

/** Roads and borders, where they are shown. */
export function useWays(map: SurveyMap, shown: boolean): void {
  useEffect(() => {
    if (!map.current || !shown) return;
    const group = L.layerGroup([
      ...roads.flatMap((road) => [line(road, { color: '#fbf9f3', weight: 4, opacity: 0.9 }), line(road, { color: '#9c4a23', weight: 2 })]),
      ...borders.map((border) => line(border, { color: '#22292b', weight: 1.5, dashArray: '8 4 2 4' })),
    ]).addTo(map.current);
    return () => void group.remove();
  }, [map, shown]);
}

/** The names of places, where they are shown. */
export function useNames(map: SurveyMap, shown: boolean): void {
  useEffect(() => {
    if (!map.current || !shown) return;
    const group = L.layerGroup(
      places.map((p) =>
        L.marker(at(p.east, p.south), {
          interactive: false,
          keyboard: false,
          icon: L.divIcon({ className: `${css.place} ${css[p.kind]}`, html: `<span>${p.name}</span>`, iconSize: [0, 0] }),
        }),
      ),
    ).addTo(map.current);
    return () => void group.remove();
  }, [map, shown]);
}

/** The frame on the map: dragged by its middle and its corners. */
export function useFrameOn(map: SurveyMap, frame: Frame, locked: boolean, onChange: (frame: Frame) => void): void {
  const parts = useRef<{ box: L.Rectangle; corners: L.Marker[]; middle: L.Marker } | null>(null);
  const latest = useRef({ frame, locked, onChange });
  latest.current = { frame, locked, onChange };
  useEffect(() => {
    const on = map.current;
    if (!on) return;
    const box = L.rectangle(L.latLngBounds(at(0, 0), at(1, 1)), { color: '#9c4a23', weight: 2, fillOpacity: 0.08, interactive: false }).addTo(on);
    const handle = (className: string, title: string) =>
      L.marker(at(0, 0), { draggable: true, title, alt: title, icon: L.divIcon({ className, iconSize: [14, 14] }) }).addTo(on);
    const middle = handle(css.middle, 'Drag the frame');
    const corners = CORNERS.map((name) => handle(css.corner, `Drag its ${name} corner`));
    middle.on('drag', () => {
      const { frame: f, onChange: put } = latest.current;
      const { east, south } = placeOf(middle.getLatLng());
      put({ ...f, east: east - f.width / 2, south: south - f.depth / 2 });
    });
    corners.forEach((corner, k) =>
      corner.on('drag', () => {
        const { frame: f, locked: keep, onChange: put } = latest.current;
        const { east, south } = placeOf(corner.getLatLng());
        put(withCornerAt(f, CORNERS[k], east, south, keep));
      }),
    );
    parts.current = { box, corners, middle };
    return () => {
      [box, middle, ...corners].forEach((part) => part.remove());
      parts.current = null;
    };
  }, [map]);
  useEffect(() => {
    const on = parts.current;
    if (!on) return;
    const { east, south, width, depth } = frame;
    on.box.setBounds(L.latLngBounds(at(east, south + depth), at(east + width, south)));
    on.middle.setLatLng(at(east + width / 2, south + depth / 2));
    [
      [east, south],
      [east + width, south],
      [east + width, south + depth],
      [east, south + depth],
    ].forEach(([x, y], k) => on.corners[k].setLatLng(at(x, y)));
  }, [frame]);
}
