// Builds what is asked for: kernels, cli, app; all of it without arguments.
import { execFileSync } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { build } from 'esbuild';
import { buildKernels } from './kernels.mjs';

/** Sentences of schemas are our own: those of a library in sixty languages would be read at every start. */
const withoutLocales = {
  name: 'without-locales',
  setup({ onResolve, onLoad }) {
    onResolve({ filter: /\/locales\/index\.js$/ }, () => ({ path: 'locales', namespace: 'without' }));
    onLoad({ filter: /^locales$/, namespace: 'without' }, () => ({ contents: 'export {};' }));
  },
};

/** The commands that a program lists: their names, and what makes them from where. */
function commandsOf(text) {
  const from = new Map();
  for (const [, made, file] of text.matchAll(/import \{ ([^}]+) \} from '(\.\/commands\/[\w-]+)'/g)) for (const one of made.split(', ')) from.set(one, file);
  return [...text.matchAll(/^ {2}'?([\w-]+)'?: (\w+),$/gm)].map(([, name, make]) => ({ name, make, file: from.get(make) }));
}

/** A program of one command, as something to build. */
function entryOf({ name, make, file }) {
  const contents = `import { ${make} } from '${file}';\nimport { runProgram } from './program';\nawait runProgram({ '${name}': ${make} });\n`;
  return {
    entryPoints: undefined,
    stdin: { contents, resolveDir: 'cli', sourcefile: `command-${name}.ts`, loader: 'ts' },
    outdir: undefined,
    outfile: `cli/dist/command-${name}.mjs`,
  };
}

const wanted = process.argv.slice(2);
const wants = (part) => wanted.length === 0 || wanted.includes(part);

if (await buildKernels()) console.log('Kernels built.');
if (wants('cli')) {
  // Parts are named by what they hold: those of the last build go.
  rmSync('cli/dist', { recursive: true, force: true });
  const node = {
    outdir: 'cli/dist',
    outExtension: { '.js': '.mjs' },
    bundle: true,
    minifyWhitespace: true,
    minifySyntax: true,
    // They read their scripts from beside themselves, or are wanted by few.
    external: ['@pnpm/tabtab', 'bullmq', 'ioredis'],
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: true,
    plugins: [withoutLocales],
    banner: {
      js: "import { createRequire as __createRequire } from 'node:module'; const require = __createRequire(import.meta.url); const __dirname = import.meta.dirname;",
    },
    logLevel: 'warning',
  };
  // Every command is one file with what it needs alone, which is there at once; so is what runs on a thread of its own.
  await build({ ...node, entryPoints: { cli: 'cli/cli.ts' } });
  await Promise.all(commandsOf(readFileSync('cli/cli.ts', 'utf8')).map((command) => build({ ...node, ...entryOf(command) })));
  await build({
    ...node,
    entryPoints: {
      'pool-worker': 'cli/pool-worker.ts',
      'writer-worker': 'cli/writer-worker.ts',
      'tally-worker': 'cli/tally-worker.ts',
      'server-worker': 'app/server/worker.ts',
    },
  });
  console.log('Command built.');
}
if (wants('app')) {
  execFileSync('npx', ['astro', 'build'], { cwd: 'app', stdio: 'inherit', env: { ...process.env, ASTRO_TELEMETRY_DISABLED: '1' } });
}
