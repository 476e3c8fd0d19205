/** Screen values as linear light: IEC 61966-2-1, its inverse by a table so that engines agree. */
export const TO_LINEAR = Float64Array.from(
  // x^2.4 = x² · x^0.4, the latter by Newton's fifth root of x²: products and quotients only.
  { length: 256 },
  (_, code) => {
    const v = code / 255;
    if (v <= 0.04045) return v / 12.92;
    const x = (v + 0.055) / 1.055;
    let root = 0.5 + 0.5 * x * x;
    for (let k = 0; k < 60; k++) root = (4 * root + (x * x) / (root * root * root * root)) / 5;
    return x * x * root;
  },
);
