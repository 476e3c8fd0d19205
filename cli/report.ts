import type { Proof } from '@upland-cast/core';

/** Prints the result: one JSON object on stdout when asked for, else the words on stderr. */
export function report(json: boolean | undefined, result: object, words: string): void {
  if (json) process.stdout.write(`${JSON.stringify(result)}\n`);
  else process.stderr.write(`${words}\n`);
}

export function proofOf({ maxAbs, rmse, step, clipped, codesUsed, sha256, ok }: Proof) {
  return { maxAbs, rmse, step, clipped, codesUsed, sha256, ok };
}

/** Tells on stderr how far the work is, at most five times a second, where somebody is looking. */
export function progressOn(label: string): (share: number) => void {
  let last = 0;
  return (share) => {
    const now = Date.now();
    if (!process.stderr.isTTY || now - last < 200) return;
    last = now;
    process.stderr.write(`\r${label} ${Math.round(share * 100)} %   `);
    if (share >= 1) process.stderr.write('\r\x1b[K');
  };
}
