// Sallow Pit: a made-up slate quarry as a modeller would hand it over. Its form is analytic: a
// bowl with five benches, a ramp that winds down, an overhanging face and a hole that was left
// open. Written as GLB and OBJ for the demo.
import { mkdirSync, writeFileSync } from 'node:fs';
import { meshFormats, type Mesh } from '@upland-cast/core';

const AROUND = 240;
const RINGS = 150;
const RADIUS = 240;

/** Metres under the rim at a distance from the middle, with vertical-looking faces between level benches. */
function depthAt(distance: number, angle: number): number {
  const inward = Math.max(0, 1 - distance / (205 + 14 * Math.sin(2 * angle + 0.6) + 7 * Math.sin(5 * angle)));
  const benches = 5;
  const level = Math.min(benches, inward * 6.6);
  const step = Math.floor(level);
  // A bench is level for most of its width; the face takes the rest.
  const face = Math.min(1, Math.max(0, (level - step - 0.68) / 0.3));
  const smooth = face * face * (3 - 2 * face);
  return 13 * Math.min(benches, step + smooth);
}

/** The ramp: from the rim down to the floor over three quarters of a turn. How far down it is there, and how much of it: 1 on its bed, falling to 0 on its banks. */
function rampAt(distance: number, angle: number): { down: number; share: number } {
  const turn = (((angle - 0.4) / (2 * Math.PI)) % 1) + (angle < 0.4 ? 1 : 0);
  const along = Math.min(1, turn / 0.75);
  const middle = 192 - 128 * along;
  const beside = Math.abs(distance - middle);
  // It ends where the floor begins, over a few steps.
  const ends = Math.min(1, Math.max(0, (0.79 - turn) / 0.04));
  const bank = Math.min(1, Math.max(0, (19 - beside) / 10)) * ends;
  return { down: 65 * along, share: bank * bank * (3 - 2 * bank) };
}

function groundAt(distance: number, angle: number): number {
  const [x, y] = [distance * Math.cos(angle), distance * Math.sin(angle)];
  // Weathered rock: a few unequal waves, no more than a metre.
  const rough = 0.5 * Math.sin(x / 7.3 + 1.2 * Math.sin(y / 11)) + 0.35 * Math.sin(y / 5.1 + x / 17) + 0.2 * Math.sin((x - y) / 3.3);
  const rim = 60 + 0.03 * x - 0.02 * y + 2.5 * Math.sin(x / 60) * Math.cos(y / 75);
  const { down, share } = rampAt(distance, angle);
  const pit = rim - depthAt(distance, angle) + rough;
  return pit + (rim - down + 0.25 * rough - pit) * share;
}

export function sallowPit(): Mesh {
  const positions: number[] = [0, groundAt(0, 0), 0];
  const faces: number[] = [];
  const place = (ring: number, k: number) => 1 + (ring - 1) * AROUND + (k % AROUND);
  for (let ring = 1; ring <= RINGS; ring++) {
    for (let k = 0; k < AROUND; k++) {
      const angle = (2 * Math.PI * k) / AROUND;
      let distance = (RADIUS * ring) / RINGS;
      const height = groundAt(distance, angle);
      // An overhanging face in the north-east: the rock above leans out over the bench.
      const facing = Math.cos(angle + 0.9);
      if (facing > 0.82 && distance > 120 && distance < 178) {
        const lean = Math.max(0, Math.sin(((distance - 120) / 58) * Math.PI));
        distance -= 20 * lean * ((facing - 0.82) / 0.18) * Math.max(0, Math.min(1, (height - 30) / 26));
      }
      positions.push(distance * Math.cos(angle), height, distance * Math.sin(angle));
    }
  }
  // The modeller left a hole where an adit begins, in the west.
  const open = (ring: number, k: number) => ring >= 62 && ring < 68 && k >= 118 && k < 124;
  for (let k = 0; k < AROUND; k++) faces.push(0, place(1, k + 1), place(1, k));
  for (let ring = 1; ring < RINGS; ring++) {
    for (let k = 0; k < AROUND; k++) {
      if (open(ring, k)) continue;
      const [a, b, c, d] = [place(ring, k), place(ring, k + 1), place(ring + 1, k + 1), place(ring + 1, k)];
      faces.push(a, b, c, a, c, d);
    }
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(faces), corners: 3, up: 'y' };
}

mkdirSync('app/public/demo', { recursive: true });
for (const format of meshFormats.filter((f) => f.id === 'glb' || f.id === 'obj')) {
  const bytes = format.encode(sallowPit(), 'Sallow Pit');
  writeFileSync(`app/public/demo/sallow-pit${format.endings[0]}`, bytes);
  console.log(`app/public/demo/sallow-pit${format.endings[0]}: ${bytes.length} bytes`);
}
