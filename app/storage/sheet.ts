export type Sheet = 'light' | 'dark';

const KEY = 'upland-cast:sheet';

/** The sheet that was chosen in this browser; light until one was. */
export function sheetNow(): Sheet {
  try {
    return localStorage.getItem(KEY) === 'dark' ? 'dark' : 'light';
  } catch {
    return 'light';
  }
}

export function setSheet(sheet: Sheet): void {
  document.documentElement.dataset.sheet = sheet;
  try {
    localStorage.setItem(KEY, sheet);
  } catch {
    // A browser that keeps nothing shows it for as long as the page lives.
  }
}
