import { z } from 'zod';
import { linesOf, type Course } from '../course/schema';
import { sha256, sha256OfText } from '../field/hash';
import { layerMask } from '../masks/given';
import { wholeOf } from '../field/window';
import { stepById } from '../steps';
import { mosaic } from '../steps/source/mosaic';
import { raster } from '../steps/source/raster';
import { refinesUse } from './base';
import { squaresOver, type FineResult } from './fine-weather';
import { finerGridsOf } from './plan';
import type { World } from './manifest';
import type { WorldStore } from './store';

/** The most that is held in memory of what was worked out over squares, bytes. */
const MOST_HELD = 512 * 2 ** 20;

const windowSchema = z.object({ left: z.int(), top: z.int(), across: z.int().min(1), down: z.int().min(1) });
const headSchema = z.object({ key: z.string(), step: z.string(), window: windowSchema, layers: z.array(z.string()), sha256: z.string() });

/** What steps did over the squares of a world: worked out once, held while there is room, and kept in the world's store for whoever else needs it. */
export class FineStore {
  private readonly held = new Map<string, FineResult>();
  private readonly coming = new Map<string, Promise<FineResult>>();
  private readonly told = new Set<string>();
  private bytes = 0;

  constructor(
    private readonly store: WorldStore,
    private readonly key: string,
    private readonly most = MOST_HELD,
    /** Told of every square that is there now, once. */
    private readonly onSquare: () => void = () => undefined,
  ) {}

  /** What a step did over a square: as it was kept, or worked out and kept. */
  async of(step: string, square: { row: number; column: number }, work: () => Promise<FineResult>): Promise<FineResult> {
    const name = await fileOf(step, square);
    const known = this.held.get(name);
    if (known) {
      // Held longest from now on.
      this.held.delete(name);
      this.held.set(name, known);
      return known;
    }
    let coming = this.coming.get(name);
    if (!coming) {
      coming = this.readOrWork(name, step, work).finally(() => this.coming.delete(name));
      this.coming.set(name, coming);
    }
    return coming;
  }

  private async readOrWork(name: string, step: string, work: () => Promise<FineResult>): Promise<FineResult> {
    const result = (await this.read(name, step)) ?? (await this.write(name, step, await work()));
    this.hold(name, result);
    if (!this.told.has(name)) this.onSquare();
    this.told.add(name);
    return result;
  }

  private hold(name: string, result: FineResult): void {
    this.held.set(name, result);
    this.bytes += bytesOf(result);
    for (const [old, other] of this.held) {
      if (this.bytes <= this.most || old === name) break;
      this.held.delete(old);
      this.bytes -= bytesOf(other);
    }
  }

  private async read(name: string, step: string): Promise<FineResult | null> {
    const bytes = await this.store.read(name);
    const end = bytes?.indexOf(10) ?? -1;
    if (!bytes || end < 0) return null;
    const head = headSchema.safeParse(parsed(bytes.subarray(0, end)));
    if (!head.success || head.data.key !== this.key || head.data.step !== step) return null;
    const { window, layers, sha256: sha } = head.data;
    const values = bytes.slice(end + 1);
    const samples = window.across * window.down;
    if (values.length !== 4 * samples * (layers.length + 1) || (await sha256(values)) !== sha) return null;
    const floats = new Float32Array(values.buffer);
    const part = (n: number) => floats.subarray(n * samples, (n + 1) * samples);
    return { window, height: part(0), layers: Object.fromEntries(layers.map((layer, n) => [layer, part(n + 1)])) };
  }

  private async write(name: string, step: string, result: FineResult): Promise<FineResult> {
    const { window, height, layers } = result;
    const all = [height, ...Object.values(layers)];
    const floats = new Float32Array(all.length * height.length);
    all.forEach((values, n) => floats.set(values, n * height.length));
    const values = new Uint8Array(floats.buffer);
    const head = JSON.stringify({ key: this.key, step, window, layers: Object.keys(layers), sha256: await sha256(values) });
    const line = new TextEncoder().encode(`${head}\n`);
    const bytes = new Uint8Array(line.length + values.length);
    bytes.set(line);
    bytes.set(values, line.length);
    await this.store.write(name, bytes);
    return result;
  }
}

const bytesOf = ({ height, layers }: FineResult): number => 4 * height.length * (1 + Object.keys(layers).length);

/** The file of a square of a step, whose id may hold anything. */
async function fileOf(step: string, { row, column }: { row: number; column: number }): Promise<string> {
  return `work/fine/${(await sha256OfText(step)).slice(0, 12)}-r${row}-c${column}.f32`;
}

function parsed(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder().decode(bytes)) as unknown;
  } catch {
    return null;
  }
}

/** The steps of a world whose weather goes on to its own samples, and the squares that all of them come to. */
export function squaresOf({ ground, base, fine }: Pick<World, 'ground' | 'base' | 'fine'>, course: Course): { steps: number; squares: number } {
  if (!fine || finerGridsOf(base, ground) === 0) return { steps: 0, squares: 0 };
  const steps = linesOf(course).flatMap((line) => line.steps.filter((use) => use.on && refinesUse(use))).length;
  return { steps, squares: steps * squaresOver(ground, fine, wholeOf(ground)).length };
}

/** Takes away what was kept of a world's squares: its tiles are done. */
export async function discardSquares(store: WorldStore, { ground, fine }: Pick<World, 'ground' | 'fine'>, course: Course): Promise<void> {
  if (!fine) return;
  for (const { steps } of linesOf(course)) {
    for (const use of steps.filter(({ step }) => stepById(step).refines !== 'no'))
      for (const square of squaresOver(ground, fine, wholeOf(ground))) await store.remove(await fileOf(use.id, square));
  }
}

/** Steps whose files may have holes, which lie in a layer. */
const MAY_HAVE_HOLES = new Set<string>([raster.id, mosaic.id]);

/**
 * Whether somebody reads a layer of this name of what weather leaves: a mask by layers does, and all that maps are drawn of. Undefined where
 * nobody reads any layer at all, not even the holes of files.
 */
export function layersRead(course: Course, maps: World['maps']): ((name: string) => boolean) | undefined {
  if (maps.length > 0) return () => true;
  const uses = linesOf(course).flatMap((line) => line.steps);
  const masks = uses.flatMap((use) => use.where.masks);
  const names = new Set(masks.filter(({ kind }) => kind === layerMask.id).map(({ params }) => String(params.layer ?? 'cut')));
  const holes = uses.some(({ step }) => MAY_HAVE_HOLES.has(step));
  return names.size > 0 || holes ? (name) => names.has(name) : undefined;
}
