/** A step as it stands in a file, before it was checked. */
interface RawUse {
  step?: unknown;
  params?: Record<string, unknown>;
  note?: unknown;
}

/** What settings stood at where version 2 left them out, and what a person should know of the step now. */
const VERSION_2: Record<string, { params: Record<string, unknown>; note: string }> = {
  fluvial: {
    params: { scale: 60, soften: 10, breach: 30 },
    note: 'Made before version 3: rivers now wear by slopes as a whole and over time, so valleys are wider and gentler than they were. “Rounding” and “Smallest valley” are kept.',
  },
  talus: {
    // All of the ground was loose.
    params: { soil: 10_000, fall: 0, spread: 0 },
    note: 'Made before version 3: here all of the ground is loose, as it was then. Set “Loose already” to 0 to have rock that sheds and stays a cliff.',
  },
  runoff: {
    params: { evaporation: 0.01 },
    note: 'Made before version 3: rain now wears slopes alike in all directions, and takes a little more.',
  },
};

const NOTE_LENGTH = 2000;

/** Steps of a line of version 2 as version 3 has them: settings that were left out are pinned, and a note says what changed. */
export function weatherOfVersion3(uses: unknown): unknown {
  if (!Array.isArray(uses)) return uses;
  return (uses as RawUse[]).map((use) => {
    const was = typeof use?.step === 'string' && Object.hasOwn(VERSION_2, use.step) ? VERSION_2[use.step] : undefined;
    if (!was) return use;
    // What was ended early was so on other grids.
    const { until: _, ...params } = { ...was.params, ...(use.params ?? {}) };
    const note = [typeof use.note === 'string' ? use.note : '', was.note].filter(Boolean).join('\n');
    return { ...use, params, note: note.length <= NOTE_LENGTH ? note : use.note };
  });
}

/** The same for every tributary. */
export function linesOfVersion3(lines: unknown): unknown {
  if (!Array.isArray(lines)) return lines;
  return (lines as { steps?: unknown }[]).map((line) => (line && typeof line === 'object' ? { ...line, steps: weatherOfVersion3(line.steps) } : line));
}
