/** Numbers as the sheet shows them: thin spaces between thousands, a true minus. */
export function figure(value: number, digits = 1): string {
  if (!Number.isFinite(value)) return '–';
  const fixed = Math.abs(value).toFixed(digits);
  const [whole, part] = fixed.split('.');
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, '\u2009');
  const zero = Number(fixed) === 0;
  return `${value < 0 && !zero ? '−' : ''}${grouped}${part ? `.${part}` : ''}`;
}

/** Metres, with as many digits as their size asks for. */
export function metres(value: number): string {
  const size = Math.abs(value);
  return `${figure(value, size >= 10 || size === 0 ? 1 : size >= 0.1 ? 2 : 4)} m`;
}

/** Small lengths in the unit that keeps them readable. */
export function smallMetres(value: number): string {
  if (value === 0) return '0 m';
  if (Math.abs(value) >= 1) return `${figure(value, 2)} m`;
  if (Math.abs(value) >= 1e-3) return `${figure(value * 1e3, 2)} mm`;
  return `${figure(value * 1e6, 2)} µm`;
}

export function volume(value: number): string {
  if (Math.abs(value) >= 1e6) return `${figure(value / 1e9, 4)} km³`;
  return `${figure(value, 0)} m³`;
}

export function bytes(value: number): string {
  if (value >= 2 ** 30) return `${figure(value / 2 ** 30, 2)} GiB`;
  if (value >= 2 ** 20) return `${figure(value / 2 ** 20, 1)} MiB`;
  if (value >= 1024) return `${figure(value / 1024, 1)} KiB`;
  return `${value} bytes`;
}

export function clock(at: number): string {
  return new Date(at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
}

export function ago(at: number, now = Date.now()): string {
  const minutes = Math.round((now - at) / 60_000);
  if (minutes < 1) return 'just now';
  if (minutes < 60) return `${minutes} min ago`;
  const hours = Math.round(minutes / 60);
  if (hours < 24) return `${hours} h ago`;
  const days = Math.round(hours / 24);
  return days === 1 ? 'yesterday' : `${days} days ago`;
}
