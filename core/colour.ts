/** x^2.4 = x² · x^0.4, the latter by Newton's fifth root of x²: products and quotients only, so that engines agree. */
function power24(x: number): number {
  let root = 0.5 + 0.5 * x * x;
  for (let k = 0; k < 60; k++) root = (4 * root + (x * x) / (root * root * root * root)) / 5;
  return x * x * root;
}

/** The tone curve of screens, sRGB (IEC 61966-2-1): from a code value of 0 to 1 to linear light. `power`: x^2.4. */
export const linearFromSrgb = (v: number, power = power24): number => (v <= 0.04045 ? v / 12.92 : power((v + 0.055) / 1.055));

/** And back. `pow`: one that gives the same in every engine, where that matters (`exactMath`). */
export const srgbFromLinear = (v: number, pow: (a: number, b: number) => number): number => (v <= 0.0031308 ? v * 12.92 : 1.055 * pow(v, 1 / 2.4) - 0.055);

/** Linear light of every code of 8 bits. */
export const LINEAR_OF_CODE = Float64Array.from({ length: 256 }, (_, code) => linearFromSrgb(code / 255));
