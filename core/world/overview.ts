import { makeField, type Field } from '../field/field';
import type { Ground } from '../field/ground';
import type { Window } from '../field/window';
import { groundOfMeans } from './pyramid';

/** The overview's samples along its longer side, at the most. */
const OVERVIEW = 2048;

/** The whole world on few samples: means of squares of them. */
export class Overview {
  private readonly factor: number;
  private readonly own: Ground;
  private readonly sums: Float64Array;
  private readonly counts: Uint32Array;

  constructor(ground: Ground) {
    this.factor = Math.ceil(Math.max(ground.across, ground.down) / OVERVIEW);
    this.own = groundOfMeans(ground, this.factor);
    this.sums = new Float64Array(this.own.across * this.own.down);
    this.counts = new Uint32Array(this.sums.length);
  }

  take(window: Window, { ground, height, valid }: Field): void {
    for (let row = 0, i = 0; row < window.down; row++) {
      const start = Math.floor((window.top + row) / this.factor) * this.own.across;
      for (let column = 0; column < window.across; column++, i++) {
        if (valid && !valid[i]) continue;
        const at = start + Math.floor((window.left + column) / this.factor);
        this.sums[at] += height[i] + ground.datum;
        this.counts[at]++;
      }
    }
  }

  field(): Field {
    const valid = this.counts.some((n) => n === 0) ? Uint8Array.from(this.counts, (n) => (n ? 1 : 0)) : undefined;
    return makeField(
      this.own,
      Float32Array.from(this.sums, (sum, i) => sum / Math.max(1, this.counts[i])),
      valid,
    );
  }
}
