/** The samples without a height that lie inside: no way over such samples leads from them to the rim. 1 where one is. */
export function enclosedHoles(valid: Uint8Array, across: number, down: number): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(valid.length);
  for (let i = 0; i < out.length; i++) out[i] = valid[i] ? 0 : 1;
  const open: number[] = [];
  const reach = (i: number) => {
    if (!out[i]) return;
    out[i] = 0;
    open.push(i);
  };
  for (let c = 0; c < across; c++) {
    reach(c);
    reach((down - 1) * across + c);
  }
  for (let r = 0; r < down; r++) {
    reach(r * across);
    reach(r * across + across - 1);
  }
  for (let i = open.pop(); i !== undefined; i = open.pop()) {
    const column = i % across;
    if (column > 0) reach(i - 1);
    if (column < across - 1) reach(i + 1);
    if (i >= across) reach(i - across);
    if (i < across * (down - 1)) reach(i + across);
  }
  return out;
}
