/** Colours of data that are no ramps: red, green and blue of the screen, 0 to 255. */

/** Map water, as drawn flat: pictures of terrains, the survey's map. `--water` in `app/styles/tokens.css` is the interface's. */
export const WATER = { flat: [93, 143, 169], pale: [168, 193, 205], shallow: [120, 168, 184], deep: [26, 74, 102] } as const;

/** For a shader: `vec3(0.1, 0.2, 0.3)`. */
export const vec3 = (rgb: readonly [number, number, number]): string => `vec3(${rgb.map((v) => (v / 255).toFixed(4)).join(', ')})`;
