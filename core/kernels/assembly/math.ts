// Transcendental functions that give the same bits in every engine: AssemblyScript's own ports
// of musl, compiled to WebAssembly. `Math.*` of the engines differ from one another.

export function sin(x: f64): f64 {
  return NativeMath.sin(x);
}

export function cos(x: f64): f64 {
  return NativeMath.cos(x);
}

export function tan(x: f64): f64 {
  return NativeMath.tan(x);
}

export function atan2(y: f64, x: f64): f64 {
  return NativeMath.atan2(y, x);
}

export function atan(x: f64): f64 {
  return NativeMath.atan(x);
}

export function exp(x: f64): f64 {
  return NativeMath.exp(x);
}

export function log(x: f64): f64 {
  return NativeMath.log(x);
}

export function pow(x: f64, y: f64): f64 {
  return NativeMath.pow(x, y);
}
