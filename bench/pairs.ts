export interface Row {
  work: string;
  ours: number;
  theirs: number | null;
  ratio: number | null;
  aim: string;
  met: boolean;
  /** The most memory that the whole process held, bytes. */
  bytes?: number;
  /** What else was measured, or why the row cannot be had. */
  note?: string;
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

const HEAD = ['work', 'ours', 'peer', 'ours / peer', 'aim', '', 'memory', 'beside'];

const ms = (t: number | null) => (t === null || Number.isNaN(t) ? '–' : t < 10 ? `${t.toFixed(2)} ms` : `${t.toFixed(0)} ms`);

const cells = (r: Row): string[] => [
  r.work,
  ms(r.ours),
  ms(r.theirs),
  r.ratio === null ? '–' : r.ratio.toFixed(3),
  r.aim,
  r.met ? 'met' : 'missed',
  r.bytes ? `${(r.bytes / 2 ** 30).toFixed(2)} GiB` : '',
  r.note ?? '',
];

/** Columns set under each other. */
export function print(lines: string[][]): void {
  const widths = lines[0].map((_, c) => Math.max(...lines.map((l) => (l[c] ?? '').length)));
  for (const line of lines)
    console.log(
      line
        .map((text, c) => text.padEnd(widths[c]))
        .join('  ')
        .trimEnd(),
    );
}

export const printed = (rows: readonly Row[]): string[][] => [HEAD, ...rows.map(cells)];

/** A table of a document. */
export const asMarkdown = ([head, ...lines]: string[][]): string =>
  [head, head.map(() => '---'), ...lines].map((line) => `| ${line.map((text) => text || ' ').join(' | ')} |`).join('\n');

/** The lines of a document's table whose first column has this head; their cells. */
function linesOf(document: string, head: string): string[][] {
  const lines = document.split('\n').filter((line) => line.startsWith('| '));
  const cellsOf = (line: string) =>
    line
      .slice(2, -2)
      .split(' | ')
      .map((text) => text.trim());
  const from = lines.findIndex((line) => cellsOf(line)[0] === head);
  if (from < 0) return [];
  const rest = lines.slice(from + 2).map(cellsOf);
  const to = rest.findIndex((_, i) => rest[i + 1]?.[0] === '---');
  return to < 0 ? rest : rest.slice(0, to);
}

/** A table of an earlier document with the lines of this run in the place of theirs, each with the day that it was measured. */
export function kept(document: string, [head, ...lines]: string[][], day: string): string[][] {
  const whole = [...head, 'measured'];
  const now = new Map(lines.map((line) => [line[0], [...line, day]]));
  const before = linesOf(document, head[0]).map((line) => (line.length === whole.length ? line : [...line, '']));
  const known = new Set(before.map(([work]) => work));
  return [whole, ...before.map((line) => now.get(line[0]) ?? line), ...[...now.values()].filter(([work]) => !known.has(work))];
}

/** How a run compares with what an earlier one wrote: our times, each divided by what they were. */
export function against(rows: readonly Row[], results: string): string[][] {
  const before = new Map(
    results
      .split('\n')
      .filter((line) => line.startsWith('| '))
      .map((line) => line.slice(2).split(' | '))
      .map(([work, time]) => [work.trim(), parseFloat(time)]),
  );
  return [
    ['work', 'now', 'then', 'now / then'],
    ...rows.map((r) => [r.work, ms(r.ours), ms(before.get(r.work) ?? null), before.get(r.work) ? (r.ours / before.get(r.work)!).toFixed(2) : '–']),
  ];
}
