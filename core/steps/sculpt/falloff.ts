/** The forms in which a brush fades towards its rim. */
export const FALLOFFS = { shoulder: 'Shoulder', straight: 'Straight', dome: 'Dome', peak: 'Peak' } as const;
export type Falloff = keyof typeof FALLOFFS;

/** 1 in the middle, 0 at the rim (t = 1), fading over the last `softness` of the radius in the form that is named. */
export function falloffAt(t: number, softness: number, form: Falloff): number {
  if (t > 1) return 0;
  const inner = 1 - softness;
  if (t <= inner) return 1;
  const u = (1 - t) / softness;
  switch (form) {
    case 'straight':
      return u;
    case 'dome':
      return Math.sqrt(1 - (1 - u) * (1 - u));
    case 'peak':
      return u * u;
    default:
      return u * u * (3 - 2 * u);
  }
}
