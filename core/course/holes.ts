import type { JoinMode } from '../steps/step';

/** Ways of joining that need no height of the ground before them. */
const STANDS_ALONE: readonly JoinMode[] = ['replace', 'higher', 'lower', 'smooth-higher', 'smooth-lower', 'mean'];

interface Joining {
  before: Float32Array<ArrayBuffer>;
  /** Joined, as if all of both were known. */
  height: Float32Array<ArrayBuffer>;
  /** 1 where the ground before has no height, and where the source has none. */
  holes: Float32Array | undefined;
  absent: ArrayLike<number> | undefined;
  mode: JoinMode;
  /** Where the source is joined, 0 to 1; null: everywhere. */
  mask: Float32Array | null;
  /** The source in place of the ground. */
  alone(): Float32Array;
}

/**
 * Holes of a source and of the ground that it is joined with. Where the source has no height the
 * ground stays as it was, or is a hole where it was to be replaced; where the ground has none it
 * takes that of a source that needs none beneath it, and stays a hole under one that is added.
 * Null where neither has holes.
 */
export function joinHoles({
  before,
  height,
  holes,
  absent,
  mode,
  mask,
  alone,
}: Joining): { height: Float32Array<ArrayBuffer>; holes: Float32Array<ArrayBuffer> } | null {
  if (!holes && !absent) return null;
  const out = height.slice();
  const left = new Float32Array(height.length);
  const own = holes && STANDS_ALONE.includes(mode) ? alone() : undefined;
  for (let i = 0; i < out.length; i++) {
    const hole = holes !== undefined && holes[i] > 0.5;
    const none = absent !== undefined && absent[i] > 0.5;
    if (mask && mask[i] === 0) {
      left[i] = hole ? 1 : 0;
      continue;
    }
    if (none) {
      left[i] = hole || mode === 'replace' ? 1 : 0;
      if (mode !== 'replace') out[i] = before[i];
    } else if (hole && own) out[i] = own[i];
    else left[i] = hole ? 1 : 0;
  }
  return { height: out, holes: left };
}
