/** A whole number as words have it: thin spaces between thousands, a true minus. */
export const grouped = (value: number): string =>
  Math.round(value)
    .toString()
    .replace('-', '−')
    .replace(/\B(?=(\d{3})+(?!\d))/g, '\u2009');
