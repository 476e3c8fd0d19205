import type { Field } from './field';

/** The field mirrored top to bottom: the north edge becomes the south edge. Bit-exact. */
export function flipRows(field: Field): Field {
  const { across, down } = field.ground;
  return rearrange(field, across, down, (row, column) => (down - 1 - row) * across + column);
}

/** The field mirrored left to right: the west edge becomes the east edge. Bit-exact. */
export function flipColumns(field: Field): Field {
  const { across, down } = field.ground;
  return rearrange(field, across, down, (row, column) => row * across + (across - 1 - column));
}

/** The field turned clockwise, seen from above, by whole quarter turns. Bit-exact. */
export function turn(field: Field, degrees: 90 | 180 | 270): Field {
  const { across, down } = field.ground;
  if (degrees === 180) return rearrange(field, across, down, (row, column) => (down - 1 - row) * across + (across - 1 - column));
  if (degrees === 90) return rearrange(field, down, across, (row, column) => (down - 1 - column) * across + row, true);
  return rearrange(field, down, across, (row, column) => column * across + (across - 1 - row), true);
}

function rearrange(field: Field, across: number, down: number, from: (row: number, column: number) => number, quarter = false): Field {
  const { ground } = field;
  const height = new Float32Array(across * down);
  const valid = field.valid && new Uint8Array(across * down);
  for (let row = 0, i = 0; row < down; row++) {
    for (let column = 0; column < across; column++, i++) {
      const at = from(row, column);
      height[i] = field.height[at];
      if (valid) valid[i] = field.valid![at];
    }
  }
  const width = quarter ? ground.depth : ground.width;
  const depth = quarter ? ground.width : ground.depth;
  const turned = { ...ground, across, down, width, depth };
  return valid ? { ground: turned, height, valid } : { ground: turned, height };
}
