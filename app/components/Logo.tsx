/** The mark: two contour-brown hills in one line each. */
export function Logo() {
  return (
    <svg width="26" height="22" viewBox="0 0 32 28" fill="none" stroke="#9C4A23" strokeLinecap="round" aria-hidden="true">
      <path strokeWidth="2.6" d="M3 24c5 0 5-19 10-19s4 9 7 9 3-4 5-4 2 14 4 14" />
      <path strokeWidth="1.8" d="M8 24c3 0 3-11 5.500-11S16 19 18.500 19s2-2 3.500-2 1 7 2 7" />
    </svg>
  );
}
