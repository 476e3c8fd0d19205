export interface Row {
  work: string;
  ours: number;
  theirs: number | null;
  ratio: number | null;
  aim: string;
  met: boolean;
}

export const median = (values: number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1];

/** Times two pieces of work in turn, `pairs` times after one turn that does not count; medians, and the median of the ratios. */
export async function inPairs(
  work: string,
  ours: () => Promise<number> | number,
  theirs: (() => Promise<number> | number) | null,
  aim: { ratio?: number; ms?: number },
  pairs = 11,
): Promise<Row> {
  await ours();
  await theirs?.();
  const a: number[] = [];
  const b: number[] = [];
  for (let i = 0; i < pairs; i++) {
    a.push(await ours());
    if (theirs) b.push(await theirs());
  }
  const ratio = theirs ? median(a.map((t, i) => t / b[i])) : null;
  const met = aim.ratio !== undefined ? ratio! <= aim.ratio : median(a) <= aim.ms!;
  return { work, ours: median(a), theirs: theirs ? median(b) : null, ratio, aim: aim.ratio !== undefined ? `≤ ${aim.ratio}` : `≤ ${aim.ms} ms`, met };
}

/** Milliseconds that a piece of work takes. */
export async function timed(work: () => Promise<unknown> | unknown): Promise<number> {
  const began = performance.now();
  await work();
  return performance.now() - began;
}

export function print(rows: Row[]): void {
  const ms = (t: number | null) => (t === null ? '–' : t < 10 ? `${t.toFixed(2)} ms` : `${t.toFixed(0)} ms`);
  const lines = [['work', 'ours', 'peer', 'ours / peer', 'aim', '']];
  for (const r of rows) lines.push([r.work, ms(r.ours), ms(r.theirs), r.ratio === null ? '–' : r.ratio.toFixed(3), r.aim, r.met ? 'met' : 'missed']);
  const widths = lines[0].map((_, c) => Math.max(...lines.map((l) => l[c].length)));
  for (const line of lines)
    console.log(
      line
        .map((text, c) => text.padEnd(widths[c]))
        .join('  ')
        .trimEnd(),
    );
}
