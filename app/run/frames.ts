/** A message between the page and the run endpoint: its kind, and JSON or bytes. A frame is the kind (1 byte), the length (4 bytes, little-endian), and the body. */
export type Frame =
  | { kind: 'progress'; words: string; share: number }
  | { kind: 'file'; file: Record<string, unknown>; size: number }
  | { kind: 'bytes'; bytes: Uint8Array<ArrayBuffer> }
  | { kind: 'docket'; docket: Record<string, unknown> }
  | { kind: 'fault'; code: string; sentence: string };

const KINDS = ['progress', 'file', 'bytes', 'docket', 'fault'] as const;
/** A frame of bytes is no longer than this. */
export const LONGEST = 1 << 22;

export function frameToBytes(frame: Frame): Uint8Array<ArrayBuffer> {
  const body = frame.kind === 'bytes' ? frame.bytes : (new TextEncoder().encode(JSON.stringify(frame)) as Uint8Array<ArrayBuffer>);
  const out = new Uint8Array(5 + body.length);
  out[0] = KINDS.indexOf(frame.kind);
  new DataView(out.buffer).setUint32(1, body.length, true);
  out.set(body, 5);
  return out;
}

/** The frames of a stream; ends with a sentence where it breaks off. */
export async function* framesOf(stream: ReadableStream<Uint8Array>): AsyncGenerator<Frame> {
  const reader = stream.getReader();
  let held = new Uint8Array(0);
  const need = async (count: number): Promise<boolean> => {
    const parts = [held];
    let have = held.length;
    while (have < count) {
      const { done, value } = await reader.read();
      if (done) break;
      parts.push(value as Uint8Array<ArrayBuffer>);
      have += value.length;
    }
    held = new Uint8Array(have);
    let at = 0;
    for (const part of parts) {
      held.set(part, at);
      at += part.length;
    }
    return have >= count;
  };
  try {
    while (await need(5)) {
      const kind = KINDS[held[0]];
      const length = new DataView(held.buffer, held.byteOffset).getUint32(1, true);
      if (!kind || !(await need(5 + length))) throw new Error('The server’s answer broke off.');
      const body = held.slice(5, 5 + length);
      held = held.slice(5 + length);
      yield kind === 'bytes' ? { kind, bytes: body } : (JSON.parse(new TextDecoder().decode(body)) as Frame);
    }
    if (held.length) throw new Error('The server’s answer broke off.');
  } finally {
    void reader.cancel().catch(() => undefined);
  }
}

/** What the page sends: the length of the order's JSON (4 bytes, little-endian), the order, the project file. */
export function requestToBytes(order: string, project: Uint8Array): Uint8Array<ArrayBuffer> {
  const text = new TextEncoder().encode(order);
  const out = new Uint8Array(4 + text.length + project.length);
  new DataView(out.buffer).setUint32(0, text.length, true);
  out.set(text, 4);
  out.set(project, 4 + text.length);
  return out;
}

/** The order's text and the project out of a request; null where it is none. */
export function requestFromBytes(bytes: Uint8Array<ArrayBuffer>): { order: string; project: Uint8Array<ArrayBuffer> } | null {
  if (bytes.length < 5) return null;
  const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true);
  if (length > 1_000_000 || 4 + length >= bytes.length) return null;
  return { order: new TextDecoder().decode(bytes.subarray(4, 4 + length)), project: bytes.slice(4 + length) };
}
