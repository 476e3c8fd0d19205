/**
 * One thing to do on a walk. What stands in brackets is what the page calls it: it is shown in bold, and it is what
 * the browser test presses, sets and looks for, so that a walk cannot say what the page does not do.
 *
 * - `link`, `button`, `card`, `radio`, `switch`: pressed, by the first name in brackets.
 * - `set`, `choose`: a field of the first name is given the second; a number with its unit loses the unit.
 * - `see`: the name is on the page in the end.
 * - `take`: a press that hands out a file.
 */
export interface Act {
  do: 'link' | 'button' | 'card' | 'radio' | 'switch' | 'set' | 'choose' | 'see' | 'take';
  say: string;
}

export interface Walk {
  id: string;
  title: string;
  /** Where it begins. */
  from: 'terrains' | 'demo' | 'survey';
  /** What it is for, and what comes of it. */
  about: string;
  acts: readonly Act[];
}

const act = (kind: Act['do']) => (say: string) => ({ do: kind, say }) satisfies Act;
const [link, button, card, radio, flip, set, choose, see, take] = (['link', 'button', 'card', 'radio', 'switch', 'set', 'choose', 'see', 'take'] as const).map(
  act,
);

const EXPORTED = see('Every file is read back and held against the ground: [Read back and found right].');

/** The jobs that people come with, each walked with what ships with the application. */
export const WALKS: readonly Walk[] = [
  {
    id: 'scan',
    title: 'From a scan to a clean 16-bit map',
    from: 'terrains',
    about: 'An old sheet, 8 bits, packed with loss, with a frame and steps: read on its range, mended, and handed on in 16 bits.',
    acts: [
      button('Under the starting courses press [an old scan with every flaw there is]. Your own file is dropped anywhere on the page.'),
      radio('The file does not say what its numbers stand for: choose [A range].'),
      set('Its largest code stands for the highest place on the sheet: [Its height, second] is [700] metres.'),
      set('Say how wide the sheet is: [Width] is [2580] metres.'),
      button('What is wrong is listed, each with its mend. Take the frame off: [Trim the edge].'),
      button('And the steps of its 8 bits: [Take the steps out].'),
      button('Then [Make a terrain of it].'),
      link('Go to [Export].'),
      choose('The heights go out in the [Format] that is asked for: [PNG].'),
      choose('With a [Depth] of [16-bit].'),
      button('Press [Export].'),
      EXPORTED,
      take('Take the file or the bundle: [Everything as a ZIP].'),
    ],
  },
  {
    id: 'blocks',
    title: 'A block world',
    from: 'demo',
    about: 'Whole rows of blocks between a floor and a ceiling, the sea at its row; and what to do with hills that are too high.',
    acts: [
      link('Go to [Export].'),
      button('Choose the receiver [Block world].'),
      see('It says how much of the land is [cut off] at floor and ceiling, and offers ways out.'),
      set('Press hills together under the ceiling instead: [Shoulders] of [25 %]. Larger blocks or a shift are the other ways.'),
      button('Press [Export].'),
      EXPORTED,
      take('Take [Everything as a ZIP]: the docket says floor, ceiling and water row.'),
    ],
  },
  {
    id: 'two',
    title: 'Two maps as one',
    from: 'demo',
    about: 'A side line with ground of its own, joined to the stem: here crags that stand on a moor.',
    acts: [
      card('The side line flows into the card [Crags] of the stem. Select it.'),
      choose('Its [Blend] says how the two meet: take [The higher of both].'),
      button('See what that did: [Compare].'),
      see('The room says it in a sentence, and shows it by a wipe that is dragged: [What was found].'),
    ],
  },
  {
    id: 'print',
    title: 'A mesh for printing',
    from: 'demo',
    about: 'A closed solid in millimetres, at a scale, on a base.',
    acts: [
      link('Go to [Export].'),
      button('Choose the receiver [Printed model].'),
      set('A printer resolves a tenth of a millimetre: [Samples]: [129] are enough here.'),
      button('Press [Export].'),
      EXPORTED,
      take('Take [Everything as a ZIP]: the STL, and a docket with its size.'),
    ],
  },
  {
    id: 'light-mesh',
    title: 'A light mesh that keeps to the ground',
    from: 'demo',
    about: 'As few triangles as leave no sample further off than you allow, with a normal map for the rest.',
    acts: [
      link('Go to [Mesh].'),
      radio('Faces as large as the ground allows: [Greedy].'),
      set('No sample further off than the [Largest error]: [4 m].'),
      see('Triangles and error are measured before anything is written: [largest error].'),
      take('Press [Write the mesh].'),
      see('What is on disk was read back: [What was written].'),
    ],
  },
  {
    id: 'pressed',
    title: 'A modelled piece in the landscape',
    from: 'demo',
    about: 'A mesh from a modeller becomes heights, and lies over the ground as a step.',
    acts: [
      link('Go to [Mesh].'),
      radio('Choose [Mesh to heights].'),
      button('Take the quarry that ships with this: [Sallow Pit]. Your own is dropped here.'),
      flip('Without its facets: [Smooth between its corners].'),
      see('It is pressed at once; what it covers, its holes and what lies [under overhangs] are told.'),
      button('Then [Lay it over this terrain].'),
      see('It is a step of the course, with a place, a size and a turn: [Settings].'),
    ],
  },
  {
    id: 'engine',
    title: 'Heights, normals and weights for an engine',
    from: 'demo',
    about: 'Everything that a landscape in a game engine asks for, in one bundle with the numbers that are typed in there.',
    acts: [
      link('Go to [Export].'),
      button('Choose the receiver [Power of two plus one].'),
      choose('Add maps, one by one: [Add a map], [Normal map].'),
      choose('And again [Add a map], [Material weights].'),
      button('Press [Export].'),
      EXPORTED,
      take('Take [Everything as a ZIP].'),
    ],
  },
  {
    id: 'plane',
    title: 'A displacement map for a plane',
    from: 'demo',
    about: 'A texture from 0 to 1 that moves the vertices of a plane up, with the strength and base value that make it true to size.',
    acts: [
      link('Go to [Export].'),
      button('Choose the receiver [Displacement plane].'),
      see('What the other program is told stands here before anything is written: [strength for a plane of width 1].'),
      button('Press [Export].'),
      EXPORTED,
    ],
  },
  {
    id: 'rolls',
    title: 'Another one like this',
    from: 'demo',
    about: 'The same course with every seed drawn anew, side by side with those before it.',
    acts: [
      button('Press the dice in the header: [Another one like this].'),
      button('Press [Roll it all].'),
      see('The rolls stand side by side, and each can be gone back to: [As it began].'),
    ],
  },
  {
    id: 'water',
    title: 'Where the water goes',
    from: 'demo',
    about: 'How the finished ground drains: seen over it, and as lines and depths in files.',
    acts: [
      choose('Lay it over the ground: [Drape], [Drainage].'),
      link('Go to [Export].'),
      take('The streams as lines, with their order and catchment: [Streams].'),
      take('And the depth of lakes and streams: [Standing water].'),
    ],
  },
  {
    id: 'river',
    title: 'A river cut where you want it',
    from: 'terrains',
    about: 'A step that waits for its line, and cuts a bed that never runs uphill.',
    acts: [
      button('Begin with [New from noise].'),
      button('Open the menu behind the last card: [Add a step after Noise].'),
      set('Look for what it does: [Find a step], [river].'),
      see('The menu says by which word a step was found: [Channel].'),
    ],
  },
  {
    id: 'arrived',
    title: 'Did it arrive as it was?',
    from: 'demo',
    about: 'What was handed on, read as a receiver would that was told something wrong.',
    acts: [
      link('Go to [Export].'),
      button('Press [Export].'),
      EXPORTED,
      radio('Open the [Trial reading].'),
      see('It says that [It arrives as it is].'),
      radio('Now read its rows from the [South].'),
      see('The fault has a name, and a cure: [North and south are exchanged].'),
    ],
  },
  {
    id: 'survey',
    title: 'Real ground under your own',
    from: 'survey',
    about: 'A part of a surveyed country as a terrain. The survey here is a made-up country that ships with the application.',
    acts: [
      set('A frame with a [Width] of [4500 m].'),
      radio('At a spacing of [30 m].'),
      see('So many samples that makes: [150 × 150 samples].'),
      button('Press [Take it].'),
      button('And [Make a terrain of it].'),
      see('It is a terrain like any other: [Velmarch].'),
    ],
  },
  {
    id: 'picture',
    title: 'A picture for somebody who decides',
    from: 'demo',
    about: 'A still in day light, at any size, with its horizon, lens and sun.',
    acts: [
      button('Open [Views].'),
      button('Then [Still …].'),
      set('Give it a size: [Width of the still] is [320 px].'),
      set('And [Height of the still] is [180 px].'),
      take('Press [Take it].'),
    ],
  },
];

/** A sentence cut into its words and the names in brackets, in their order. */
export const partsOf = (say: string): { text: string; named: boolean }[] =>
  say
    .split(/(\[[^\]]+\])/)
    .filter(Boolean)
    .map((part) => (part.startsWith('[') ? { text: part.slice(1, -1), named: true } : { text: part, named: false }));
