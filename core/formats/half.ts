/** A number out of the code of an IEEE 754 binary16. */
export function halfToNumber(code: number): number {
  const sign = code & 0x8000 ? -1 : 1;
  const exponent = (code >> 10) & 31;
  const fraction = code & 1023;
  if (exponent === 31) return fraction ? NaN : sign * Infinity;
  if (exponent === 0) return sign * fraction * 2 ** -24;
  return sign * (1 + fraction / 1024) * 2 ** (exponent - 15);
}
