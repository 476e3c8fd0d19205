/** A step as it stands in a file, before it was checked. */
interface RawUse {
  step?: unknown;
  params?: Record<string, unknown>;
  note?: unknown;
}

interface Was {
  /** What settings stood at where they were left out. */
  params: Record<string, unknown>;
  /** What a person should know of the step now. */
  note: string;
}

/** What version 4 had another meaning for. */
const VERSION_4: Record<string, Was> = {
  volcano: {
    params: { follow: 'cone' },
    note: 'Made before version 5: flows are drawn down the slope now, and lie elsewhere. Set “Flows run down” to the ground to have them follow what lies beneath.',
  },
};

/** What version 3 had another meaning for. */
const VERSION_3: Record<string, Was> = {
  shore: {
    params: { retreat: 0 },
    note: 'Made before version 4: here waves build a beach and cut no cliff, as then. Set “Cut back” to have the coast give way.',
  },
};

/** The same of version 2. */
const VERSION_2: Record<string, Was> = {
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

/** Steps of a line as the next version has them: settings that were left out are pinned, and a note says what changed. */
function migrated(uses: unknown, before: Record<string, Was>): unknown {
  if (!Array.isArray(uses)) return uses;
  return (uses as RawUse[]).map((use) => {
    const was = typeof use?.step === 'string' && Object.hasOwn(before, use.step) ? before[use.step] : undefined;
    if (!was) return use;
    // What was ended early was so on other grids.
    const { until: _, ...params } = { ...was.params, ...(use.params ?? {}) };
    const note = [typeof use.note === 'string' ? use.note : '', was.note].filter(Boolean).join('\n');
    return { ...use, params, note: note.length <= NOTE_LENGTH ? note : use.note };
  });
}

/** A course's stem and tributaries as the next version has them. */
const ofLines = ({ stem, tributaries }: { stem?: unknown; tributaries?: unknown }, before: Record<string, Was>) => ({
  stem: migrated(stem, before),
  tributaries: Array.isArray(tributaries)
    ? (tributaries as { steps?: unknown }[]).map((line) => (line && typeof line === 'object' ? { ...line, steps: migrated(line.steps, before) } : line))
    : tributaries,
});

/** One migration for every version ever written: from version n to n + 1. */
export const migrations: Record<number, (course: Record<string, unknown>) => Record<string, unknown>> = {
  // Version 1 had a stem only; what version 2 added has defaults.
  1: (course) => ({ ...course, version: 2, tributaries: [] }),
  // Version 3's weather is another: what a step was made with is pinned, and it says what is different now.
  2: (course) => ({ ...course, version: 3, ...ofLines(course, VERSION_2) }),
  // Version 4's waves cut the coast back.
  3: (course) => ({ ...course, version: 4, ...ofLines(course, VERSION_3) }),
  // Version 5's flows of lava follow the ground.
  4: (course) => ({ ...course, version: 5, ...ofLines(course, VERSION_4) }),
};
