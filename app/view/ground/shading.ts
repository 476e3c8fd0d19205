import { DoubleSide, GLSL3, RawShaderMaterial, type IUniform } from 'three';

/**
 * What the shaders are compiled for. A card works out both sides of many a branch, and what draws in software of every one: what a
 * picture does not show must not stand in its shader.
 */
export interface Shading {
  day: boolean;
  grain: boolean;
  plan: boolean;
  water: boolean;
  /** The sea, lakes or rivers lie where it is drawn. */
  wet: boolean;
  /** Lakes and streams lie on the ground. */
  watered: boolean;
  /** The shares of sky and sun are known. */
  lighted: boolean;
  bedded: boolean;
  masked: boolean;
  /** 0 tint, 1 shade, 2 a layer, 3 colours, 4 colours without light. */
  drape: 0 | 1 | 2 | 3 | 4;
  /** 0 as seen, 1 distance from the eye, 2 normal, 3 cover, 4 light before it is bent for the screen. */
  pass: number;
}

/** One mesh's shaders, compiled once for every shading that is asked for. */
export class Shaders {
  private readonly made = new Map<string, RawShaderMaterial>();

  constructor(
    private readonly vertexShader: string,
    private readonly fragmentShader: string,
    private readonly uniforms: Record<string, IUniform>,
    private readonly more: Partial<RawShaderMaterial> = {},
  ) {}

  for(shading: Shading): RawShaderMaterial {
    const { day, grain, plan, water, wet, watered, lighted, bedded, masked, drape, pass } = shading;
    const constants = {
      DAY: day,
      SHOWS_GRAIN: day && grain,
      PLAN: plan,
      SHOWS_WATER: water,
      WET: water && wet,
      WATERED: water && watered,
      LIGHTED: day && lighted,
      BEDDED: bedded,
      MASKED: masked,
      DRAPE: drape,
      PASS: pass,
    };
    const key = Object.values(constants).join();
    let material = this.made.get(key);
    if (!material) {
      // A definition that is false would be left out.
      const defines = Object.fromEntries(Object.entries(constants).map(([name, value]) => [name, String(value)]));
      const { vertexShader, fragmentShader, uniforms, more } = this;
      material = Object.assign(new RawShaderMaterial({ glslVersion: GLSL3, vertexShader, fragmentShader, uniforms, defines, side: DoubleSide }), more);
      this.made.set(key, material);
    }
    return material;
  }

  dispose(): void {
    this.made.forEach((material) => material.dispose());
    this.made.clear();
  }
}
