import { readFileSync, writeFileSync } from 'node:fs';
import { bombs } from './bombs';
import { fuzzCases } from './cases';
import { mutated, randomFrom } from './mutate';
import { faultOf, tryFile } from './targets';

/** One number a file: with the seed it says what the file is. */
interface Work {
  seed: number;
  from: number;
  to: number;
}

/** Bytes that a process has held at the most since it was last asked, and holds now (Linux). */
function memory(): { now: number; most: number } {
  const text = readFileSync('/proc/self/status', 'utf8');
  const kilobytes = (key: string) => Number(new RegExp(`${key}:\\s+(\\d+)`).exec(text)?.[1] ?? 0);
  return { now: 1024 * kilobytes('VmRSS'), most: 1024 * kilobytes('VmHWM') };
}

const cases = await fuzzCases();
// Made when they are asked for: some of them take a moment.
let prepared: ReturnType<typeof bombs> | undefined;
const bomb = (index: number) => (prepared ??= bombs())[index];

/** The file with a number: which good file it was, and its bytes. */
export function fileAt(seed: number, index: number) {
  if (index < 0) return { own: { ...bomb(-1 - index), bytes: new Uint8Array(0) }, bytes: bomb(-1 - index).make() };
  const random = randomFrom(Math.imul(seed, 0x9e3779b1) ^ Math.imul(index + 1, 0x85ebca6b));
  const own = cases[Math.floor(random() * cases.length)];
  const other = cases[Math.floor(random() * cases.length)];
  return { own, bytes: mutated(own.bytes, other.bytes, random) };
}

const MOST_MEMORY = 256 * 1024 * 1024;

async function run({ seed, from, to }: Work): Promise<void> {
  for (let index = from; index < to; index++) {
    if (index < 0 && !bomb(-1 - index)) continue;
    const { own, bytes } = fileAt(seed, index);
    process.send?.({ kind: 'begin', index, name: own.name });
    // Resets the highest mark.
    writeFileSync('/proc/self/clear_refs', '5');
    const before = memory();
    const began = process.cpuUsage();
    let fault: string | undefined;
    try {
      await tryFile(own, bytes);
    } catch (error) {
      fault = faultOf(error);
    }
    // Its own work, so that whatever else the machine does is not counted; who hangs is noticed from outside.
    const { user, system } = process.cpuUsage(began);
    const took = (user + system) / 1000;
    const used = memory().most - before.now;
    if (used > MOST_MEMORY) fault ??= `took ${Math.round(used / 2 ** 20)} MiB`;
    if (took > 2000) fault ??= `took ${Math.round(took)} ms`;
    // Making the next bomb takes its own time.
    if (index < 0) process.send?.({ kind: 'end' });
    if (fault) process.send?.({ kind: 'fault', index, name: own.name, fault, bytes: bytes.length });
  }
  process.send?.({ kind: 'done' });
}

process.on('message', (work: Work) => void run(work));
