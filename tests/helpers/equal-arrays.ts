import { expect } from 'vitest';

// Arrays of the same bytes are equal without being gone through number by number, which takes minutes for a ground.
expect.addEqualityTesters([
  (a: unknown, b: unknown) => {
    if (!ArrayBuffer.isView(a) || !ArrayBuffer.isView(b) || a.constructor !== b.constructor || a.byteLength !== b.byteLength) return undefined;
    const bytes = (view: ArrayBufferView) => new Uint8Array(view.buffer, view.byteOffset, view.byteLength);
    return Buffer.compare(bytes(a), bytes(b)) === 0 ? true : undefined;
  },
]);
