import {
  DataTexture,
  FloatType,
  LinearFilter,
  NearestFilter,
  RedFormat,
  RGBAFormat,
  RGFormat,
  UnsignedByteType,
  Vector2,
  Vector3,
  type WebGLRenderer,
} from 'three';
import type { BedTable, Ground, Rectangle } from '@upland-cast/core';
import { rampPixels, TINT } from '../../drawing/ramp';
import { dayUniforms } from '../light/day';
import type { HeightSource } from './pick';

/** What the shaders of the ground are given; kept in textures on the card. */
export class GroundTextures {
  readonly uniforms = {
    heights: { value: null as DataTexture | null },
    samples: { value: new Vector2(1, 1) },
    extent: { value: new Vector2(1, 1) },
    pointSamples: { value: 1 },
    middle: { value: 0 },
    exaggeration: { value: 1 },
    sea: { value: 0 },
    skirt: { value: 0 },
    range: { value: new Vector2(0, 1) },
    sun: { value: new Vector3(0, 1, 0) },
    contours: { value: 0 },
    contourInk: { value: new Vector3(0.42, 0.19, 0.08) },
    meshLines: { value: 0 },
    brush: { value: new Vector3() },
    brushTwin: { value: new Vector3() },
    mask: { value: null as DataTexture | null },
    ramp: { value: ramp(TINT) },
    layer: { value: null as DataTexture | null },
    layerRamp: { value: null as DataTexture | null },
    colours: { value: null as DataTexture | null },
    waters: { value: null as DataTexture | null },
    beds: { value: null as DataTexture | null },
    bedsAt: { value: new Vector2(0, 1) },
    floorLevel: { value: 0 },
    interval: { value: 50 },
    lights: { value: null as DataTexture | null },
    stacks: { value: null as DataTexture | null },
    ...dayUniforms(),
  };

  private ground: Ground | null = null;

  constructor(private readonly renderer: WebGLRenderer) {}

  /** The card has forgotten every texture: they are sent again. */
  restore(): void {
    const { heights, mask, layer, layerRamp, ramp: tint, colours, waters, beds, lights, stacks } = this.uniforms;
    for (const { value } of [heights, mask, layer, layerRamp, tint, colours, waters, beds, lights, stacks]) if (value) value.needsUpdate = true;
  }

  /** Bytes that the card holds: the heights, and what lies over them. */
  get bytes(): number {
    const u = this.uniforms;
    const samples = u.samples.value.x * u.samples.value.y;
    return samples * (4 + (u.mask.value ? 1 : 0) + (u.layer.value ? 1 : 0) + (u.waters.value ? 4 : 0) + (u.lights.value ? 2 : 0));
  }

  dispose(): void {
    const { heights, mask, layer, layerRamp, colours, waters, beds, lights, stacks } = this.uniforms;
    for (const { value } of [heights, mask, layer, layerRamp, colours, waters, beds, lights, stacks]) value?.dispose();
  }

  /** Another ground: its heights and its measures. What lay over the one before is taken away. */
  setHeights({ ground, height }: HeightSource): void {
    const u = this.uniforms;
    const same = this.ground && this.ground.across === ground.across && this.ground.down === ground.down;
    this.ground = ground;
    if (same && u.heights.value) {
      u.heights.value.image = { data: height as Float32Array<ArrayBuffer>, width: ground.across, height: ground.down };
      u.heights.value.needsUpdate = true;
    } else {
      u.heights.value?.dispose();
      u.heights.value = sampled(new DataTexture(height as Float32Array<ArrayBuffer>, ground.across, ground.down, RedFormat, FloatType), 4);
    }
    u.samples.value.set(ground.across, ground.down);
    u.extent.value.set(ground.width, ground.depth);
    u.pointSamples.value = ground.registration === 'point' ? 1 : 0;
    u.sea.value = ground.sea - ground.datum;
    this.setMask(null);
    this.setWater(null);
    if (!same) this.setLights(null);
  }

  /** The shares of sky and sun that every sample sees, a byte each; null: they are not known yet. Those of a ground that changed since stay until new ones come. */
  setLights(shares: Uint8Array<ArrayBuffer> | null): void {
    const { lights } = this.uniforms;
    const { ground } = this;
    lights.value?.dispose();
    lights.value = null;
    if (shares && ground && shares.length === 2 * ground.across * ground.down)
      lights.value = sampled(new DataTexture(shares, ground.across, ground.down, RGFormat, UnsignedByteType), 1);
  }

  /** How high the stack of beds lies, metres, on a square grid over the ground; null: there are none. */
  setStacks(heights: Float32Array<ArrayBuffer> | null): void {
    const { stacks } = this.uniforms;
    stacks.value?.dispose();
    stacks.value = null;
    if (!heights) return;
    const side = Math.sqrt(heights.length);
    stacks.value = sampled(new DataTexture(heights, side, side, RedFormat, FloatType), 4);
  }

  /** Metres of water over the ground's samples, or less than 0: the share that lies under a stream; null takes it away. */
  setWater(values: Float32Array<ArrayBuffer> | null): void {
    const { waters } = this.uniforms;
    const { ground } = this;
    waters.value?.dispose();
    waters.value = null;
    if (values && ground && values.length === ground.across * ground.down)
      waters.value = sampled(new DataTexture(values, ground.across, ground.down, RedFormat, FloatType), 4);
  }

  /** How hard the beds of the walls are, up the stack from `low` metres over its zero; null: there are none. */
  setBeds(table: BedTable | null): void {
    const { beds, bedsAt } = this.uniforms;
    beds.value?.dispose();
    beds.value = table && sampled(new DataTexture(bedPixels(table), BED_PIXELS, 1, RedFormat, UnsignedByteType), 1);
    if (table) bedsAt.value.set(table.low, 1 / (table.step * (table.hardness.length - 1)));
  }

  /** Sends only the samples of `height` within a rectangle. */
  patchHeights(height: Float32Array, part: Rectangle): void {
    const { heights } = this.uniforms;
    if (!this.ground || !heights.value) return;
    const piece = new DataTexture(cutOut(height, this.ground.across, part), part.right - part.left, part.bottom - part.top, RedFormat, FloatType);
    piece.minFilter = piece.magFilter = NearestFilter;
    this.sendPiece(piece, heights.value, part);
  }

  /** Weights (a byte a sample, those of the ground) laid over it as a drape; null takes them away. */
  setMask(weights: Uint8Array<ArrayBuffer> | null): void {
    const u = this.uniforms;
    u.mask.value?.dispose();
    u.mask.value = this.bytesOf(weights);
  }

  /** Sends only the weights within a rectangle; all of them are those given to `setMask`. */
  patchMask(weights: Uint8Array<ArrayBuffer>, part: Rectangle): void {
    const { mask } = this.uniforms;
    if (!mask.value || !this.ground) return this.setMask(weights);
    const piece = new DataTexture(cutOut(weights, this.ground.across, part), part.right - part.left, part.bottom - part.top, RedFormat, UnsignedByteType);
    piece.unpackAlignment = 1;
    this.sendPiece(piece, mask.value, part);
  }

  /** Values (a byte a sample, those of the ground) in colours of their own; null takes them away. */
  setLayer(values: Uint8Array<ArrayBuffer> | null, colours: readonly [number, string][] = TINT): void {
    const u = this.uniforms;
    for (const texture of [u.layer, u.layerRamp]) {
      texture.value?.dispose();
      texture.value = null;
    }
    u.layer.value = this.bytesOf(values);
    if (u.layer.value) u.layerRamp.value = ramp(colours);
  }

  /** Colours of the ground's samples (four bytes each); null takes them away. */
  setColours(rgba: Uint8Array<ArrayBuffer> | null): void {
    const u = this.uniforms;
    u.colours.value?.dispose();
    u.colours.value = null;
    const { ground } = this;
    if (rgba && ground && rgba.length === 4 * ground.across * ground.down)
      u.colours.value = sampled(new DataTexture(rgba, ground.across, ground.down, RGBAFormat, UnsignedByteType), 4);
  }

  /** Sends only the colours of a part. */
  patchColours(rgba: Uint8Array<ArrayBuffer>, part: Rectangle): void {
    const { colours } = this.uniforms;
    if (!colours.value) return;
    const piece = new DataTexture(rgba, part.right - part.left, part.bottom - part.top, RGBAFormat, UnsignedByteType);
    this.sendPiece(piece, colours.value, part);
  }

  /** A byte a sample as a texture; null where they are not the ground's. */
  private bytesOf(values: Uint8Array<ArrayBuffer> | null): DataTexture | null {
    const { ground } = this;
    if (!values || !ground || values.length !== ground.across * ground.down) return null;
    return sampled(new DataTexture(values, ground.across, ground.down, RedFormat, UnsignedByteType), 1);
  }

  private sendPiece(piece: DataTexture, into: DataTexture, { left, top }: Rectangle): void {
    piece.needsUpdate = true;
    this.renderer.copyTextureToTexture(piece, into, null, new Vector2(left, top));
    piece.dispose();
  }
}

/** The values within a rectangle, row after row. */
function cutOut<T extends Float32Array | Uint8Array>(values: T, across: number, { left, top, right, bottom }: Rectangle): T & { buffer: ArrayBuffer } {
  const width = right - left;
  const part = values instanceof Float32Array ? new Float32Array(width * (bottom - top)) : new Uint8Array(width * (bottom - top));
  for (let row = top; row < bottom; row++) part.set(values.subarray(row * across + left, row * across + right), (row - top) * width);
  return part as unknown as T & { buffer: ArrayBuffer };
}

const BED_PIXELS = 2048;

/** A stack of beds as so many bytes, however many entries it has. */
function bedPixels({ hardness }: BedTable): Uint8Array<ArrayBuffer> {
  const last = hardness.length - 1;
  return Uint8Array.from({ length: BED_PIXELS }, (_, i) => Math.round(255 * hardness[Math.round((i / (BED_PIXELS - 1)) * last)]));
}

/** A texture that is read between its samples. */
function sampled(texture: DataTexture, alignment: 1 | 4): DataTexture {
  texture.minFilter = texture.magFilter = LinearFilter;
  texture.unpackAlignment = alignment;
  texture.needsUpdate = true;
  return texture;
}

function ramp(stops: readonly [number, string][]): DataTexture {
  return sampled(new DataTexture(rampPixels(stops), 256, 1, RGBAFormat, UnsignedByteType), 4);
}
