// Compiles the kernels twice, with shared memory (threads) and without, and embeds both as
// base64 in a module each, so that every runtime loads the same bytes in the same way.
import { mkdirSync, readFileSync, statSync, readdirSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { deflateSync } from 'node:zlib';
import { kernelTypes } from './kernel-types.mjs';
import { medianNetworks } from './median-networks.mjs';

const source = 'core/kernels/assembly';
const out = 'core/kernels/generated';

/** Embeds the binary of the JPEG decoder in the same way, packed. */
function embedLibjpeg() {
  const binary = createRequire(import.meta.url).resolve('@cornerstonejs/codec-libjpeg-turbo-8bit/decodewasm');
  const target = 'core/formats/generated/libjpeg.ts';
  try {
    if (statSync(target).mtimeMs > Math.max(statSync(binary).mtimeMs, statSync('scripts/kernels.mjs').mtimeMs)) return;
  } catch {
    // not there yet
  }
  const bytes = readFileSync(binary);
  mkdirSync('core/formats/generated', { recursive: true });
  const packed = deflateSync(bytes, { level: 9 }).toString('base64');
  writeFileSync(
    target,
    `// Made by scripts/kernels.mjs from libjpeg-turbo's decoder.\nexport const BYTES = ${bytes.length};\nexport const PACKED = '${packed}';\n`,
  );
}

export async function buildKernels({ force = false } = {}) {
  embedLibjpeg();
  const newest = Math.max(
    ...readdirSync(source)
      .filter((f) => f.endsWith('.ts'))
      .map((f) => statSync(join(source, f)).mtimeMs),
    statSync('scripts/kernels.mjs').mtimeMs,
    statSync('scripts/median-networks.mjs').mtimeMs,
    statSync('scripts/kernel-types.mjs').mtimeMs,
  );
  const target = join(out, 'binaries.ts');
  if (!force) {
    try {
      if (statSync(target).mtimeMs > newest) return false;
    } catch {
      // not built yet
    }
  }
  const asc = (await import('assemblyscript/asc')).default ?? (await import('assemblyscript/asc'));
  mkdirSync(out, { recursive: true });
  mkdirSync(join(source, 'generated'), { recursive: true });
  writeFileSync(join(source, 'generated/median-networks.ts'), medianNetworks([3, 5, 7]));
  const common = [join(source, 'index.ts'), '-O3', '--noAssert', '--converge', '--runtime', 'stub', '--enable', 'simd', '--importMemory'];
  const builds = {
    // Atomic sums run over memory that is not shared, too.
    plain: ['--enable', 'threads'],
    shared: ['--enable', 'threads', '--sharedMemory', '--initialMemory', '1', '--maximumMemory', '65536'],
  };
  const bytes = {};
  for (const [name, flags] of Object.entries(builds)) {
    let binary;
    const { error, stderr } = await asc.main([...common, ...flags, '--outFile', `${name}.wasm`], {
      writeFile: (file, contents) => {
        if (file.endsWith('.wasm')) binary = contents;
      },
    });
    if (error) throw new Error(`The kernels do not compile (${name}):\n${stderr.toString()}`);
    bytes[name] = Buffer.from(binary);
  }
  writeFileSync(join(out, 'exports.ts'), kernelTypes(source));
  const version = createHash('sha256').update(bytes.plain).digest('hex').slice(0, 16);
  writeFileSync(
    target,
    `// Made by scripts/kernels.mjs from core/kernels/assembly.\n` +
      `export const VERSION = '${version}';\n` +
      Object.entries(bytes)
        .map(([name, b]) => `export const ${name.toUpperCase()} = '${b.toString('base64')}';\n`)
        .join(''),
  );
  return true;
}

if (process.argv[1] && import.meta.url.endsWith(process.argv[1].split('/').pop())) {
  console.log((await buildKernels({ force: process.argv.includes('--force') })) ? 'Kernels built.' : 'Kernels are up to date.');
}
