import { create } from 'zustand';
import { makeBrush, type Brush, type Course, type DrainageReport } from '@upland-cast/core';
import type { LayerDrapeId, LayerPicture } from '../drawing/drapes';
import type { MaskPicture, Picture, ReportOutcome, StagePicture } from '../engine/api';
import type { Change } from '../storage/db';
import * as preferences from '../storage/preference';
import type { Walker } from '../view/ground/walk';

export type Room = 'work' | 'compare' | 'mesh' | 'hand-off';
export type Camera = 'relief' | 'plan' | 'section' | 'land';

export interface ViewSettings {
  camera: Camera;
  /** `ground`: the colours of what it is covered with. */
  drape: 'ground' | 'tint' | 'shade' | LayerDrapeId;
  contours: boolean;
  meshLines: boolean;
  water: boolean;
  spots: boolean;
  views: boolean;
  lightPanel: boolean;
  /** The rules of the ground's colour are open beside it. */
  coverPanel: boolean;
  everySample: boolean;
  exaggeration: number;
  /** Neutral light for judging form, or a day's. */
  light: 'working' | 'day';
  /** Degrees clockwise from north that the sun stands at, and above the horizon. */
  sun: number;
  sunHeight: number;
  /** How much haze there is in the sky (Preetham's turbidity), and in the air between. */
  turbidity: number;
  haze: number;
  /** How many times as wide as the sun's own disc the light is: the edges of shadows. */
  soft: number;
  /** Near ground shows what it is made of. */
  grain: boolean;
}

/** The brush, and how many dabs a second it makes while it is held still. */
export type BrushSettings = Brush & { rate: number };

/** What is open over the page. */
export type OpenDialog = 'ground' | 'rock' | 'water' | 'rolls' | 'saves' | 'marks' | 'palette' | 'keys';

interface State {
  id: string | null;
  /** Why there is no terrain to show. */
  missing: string | null;
  course: Course | null;
  /** Another tab has this terrain; here it can only be looked at. */
  readOnly: boolean;
  past: Change[];
  future: Change[];
  selected: string | null;
  room: Room;
  picture: Picture | null;
  stages: Record<string, StagePicture>;
  /** Relief pictures by stage key. */
  reliefs: Map<string, ImageData>;
  /** `keeps`: the step that is worked on can be ended as it is. */
  working: { step: string; share: number; keeps: boolean } | null;
  /** The layer that lies over the ground. */
  layer: LayerPicture | null;
  /** The water on the ground that is seen: metres of it, or less than 0: the share of a sample that lies under a stream. */
  water: Float32Array<ArrayBuffer> | null;
  /** The shares of sky and sun that the samples of the ground see, a byte each. */
  lights: Uint8Array<ArrayBuffer> | null;
  /** The colours of what the ground is covered with, four bytes a sample. */
  colours: Uint8Array<ArrayBuffer> | null;
  /** What the channels say of the ground as the selected step leaves it. */
  drainage: DrainageReport | null;
  report: ReportOutcome;
  /** A sentence for the person, shown until it is closed. */
  notice: string | null;
  savedAt: number | null;
  /** A change is not stored yet, neither in the journal nor with the whole. */
  unsaved: boolean;
  /** A stroke is in hand, or is being taken over into the course. */
  stroking: boolean;
  saveFault: string | null;
  /** The terrain was removed in another tab while it is open here. */
  gone: boolean;
  /** Mesh files that were dropped where heights are expected: the Mesh room takes them. */
  meshFiles: { name: string; bytes: Uint8Array<ArrayBuffer> }[] | null;
  view: ViewSettings;
  brush: BrushSettings;
  /** The step that the view and its readouts stand after; null: the end of the stem. */
  standing: string | null;
  /** Where the step that is being set acts, shown as a drape while its mask is edited. */
  mask: MaskPicture | null;
  showMask: boolean;
  /** Elevations of the spots before the latest change, by id. */
  spotsBefore: Record<string, number>;
  /** What a click on the ground does beside moving the view. */
  tool: 'none' | 'line' | 'spot' | 'source' | 'ramp' | 'mirror' | 'height';
  /** Somebody on the ground whose eyes the relief is seen through. */
  walker: Walker | null;
  /** The painted mask that the brush works on. */
  painting: string | null;
  /** The sea stays where the receiver has it; what is dragged moves the land. */
  seaLocked: boolean;
  dialog: OpenDialog | null;
  /** A step that is to be put in once it is said how it joins what came before. */
  askedJoin: { step: string; at: { line: string; index: number }; params: Record<string, unknown> } | null;
  /** A receiver that was asked for by name: Hand off takes it. */
  wantedReceiver: string | null;
  engineBytes: { held: number; limit: number; threads: number } | null;
  sheet: 'light' | 'dark';
  cursor: { east: number; south: number; elevation: number; slope: number } | null;
}

export const useTerrain = create<State>(() => ({
  id: null,
  missing: null,
  course: null,
  readOnly: false,
  past: [],
  future: [],
  selected: null,
  room: 'work',
  picture: null,
  stages: {},
  reliefs: new Map(),
  working: null,
  layer: null,
  water: null,
  lights: null,
  colours: null,
  drainage: null,
  report: null,
  notice: null,
  savedAt: null,
  unsaved: false,
  stroking: false,
  saveFault: null,
  gone: false,
  meshFiles: null,
  cursor: null,
  standing: null,
  mask: null,
  showMask: false,
  spotsBefore: {},
  tool: 'none',
  seaLocked: false,
  dialog: null,
  askedJoin: null,
  wantedReceiver: null,
  engineBytes: null,
  sheet: preferences.sheet.now(),
  view: {
    camera: 'relief',
    drape: 'ground',
    contours: false,
    meshLines: false,
    water: true,
    spots: false,
    views: false,
    lightPanel: false,
    coverPanel: false,
    everySample: false,
    exaggeration: 1,
    light: preferences.light.now(),
    sun: 300,
    sunHeight: 32,
    turbidity: 2.6,
    haze: 1,
    soft: 2,
    grain: true,
  },
  brush: { ...makeBrush({ kind: 'raise', radius: 160, strength: 2, softness: 0.8 }), rate: 0 },
  painting: null,
  walker: null,
}));

/** A sentence for the person; null takes it away. */
export const say = (notice: string | null) => useTerrain.setState({ notice });

/** The water that is seen over the ground, for what stands or goes on it; null where none is shown. */
export function shownWater(): { depths: Float32Array | null } | null {
  const { water, view } = useTerrain.getState();
  return view.water ? { depths: water } : null;
}
