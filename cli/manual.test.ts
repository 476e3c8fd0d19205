import { execFileSync, spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { resolve } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encode } from '@upland-cast/core';
import { groundOf, hills } from '../tests/helpers/grounds';
import { save, scratch, uplandCast } from '../tests/helpers/outside';
import { commandsFor, MANUAL } from './manual';

const { path, done } = scratch();
afterAll(done);

const CLI = resolve('cli/bin/upland-cast.mjs');

describe('the manual of the command', () => {
  beforeAll(async () => {
    const field = hills(groundOf(129, 129, 10), 3);
    save(path('survey.tif'), (await encode(field, { format: 'tiff', type: 'f32' })).bytes);
    save(path('fell.raw'), (await encode(field, { format: 'raw', type: 'u16', range: { low: 0, high: 1000 } })).bytes);
    save(path('old.png'), (await encode(field, { format: 'png', type: 'u8', range: { low: 0, high: 1000 } })).bytes);
    mkdirSync(path('out'));
  });

  // A worker goes on until it is ended: it is tried with a queue in tests/reference/world.test.ts.
  const ending = Object.entries(MANUAL).filter(([name]) => name !== 'worker');
  const calls = ending.flatMap(([name, { examples }]) => examples.map(([, call]) => [name, call] as const));

  it.each(calls)('has examples of %s that do what they say: %s', (name, call) => {
    // The shell's own splitting, since that is how they are copied.
    const { status, stderr } = spawnSync('sh', ['-c', `"${process.execPath}" "${CLI}" ${call}`], { cwd: path('.'), encoding: 'utf8' });
    expect(status, stderr).toBe(0);
    expect(call.split(' ')[0]).toBe(name);
  });

  it('shows them in the help of every command', () => {
    const listed = uplandCast('--help').out.match(/^ {2}([a-z-]+) .*/gm)!;
    const names = listed.map((line) => line.trim().split(' ')[0]).filter((name) => name !== 'help');
    expect(names.sort()).toEqual(Object.keys(MANUAL).sort());
    for (const [name, { examples, finds }] of Object.entries(MANUAL)) {
      const { out } = uplandCast(name, '--help');
      for (const [what, call] of examples) {
        expect(out).toContain(`upland-cast ${call}`);
        expect(out).toContain(what);
      }
      expect(out).toContain(finds[0]);
    }
  });

  it('names the command and the steps where another word for them is typed', () => {
    expect(commandsFor('hillshade')).toEqual(['derive']);
    expect(commandsFor('decimate')).toEqual(['mesh']);
    const { status, words } = uplandCast('erosion', 'a.tif');
    expect(status).toBe(2);
    expect(words).toMatch(/There is no command "erosion"\. It may be: .*apply.*Steps by that word: fluvial/);
    expect(uplandCast('xyzzy').words).toBe('There is no command "xyzzy". All of them: upland-cast --help.\n');
  });
});

describe('completion', () => {
  /** What a shell offers after a line, by the protocol of the printed scripts. */
  const offered = (line: string, shell = 'fish') =>
    execFileSync(process.execPath, [CLI, 'completion-server', '--', ...line.split(' ')], {
      encoding: 'utf8',
      env: { ...process.env, SHELL: shell, COMP_LINE: line, COMP_POINT: String(line.length), COMP_CWORD: String(line.split(' ').length - 1) },
    })
      .trim()
      .split('\n')
      .map((item) => item.split('\t')[0]);

  it('completes commands, options, their values, steps, starting courses and receivers; else files', () => {
    expect(offered('upland-cast co')).toEqual(['convert', 'compare', 'completion']);
    expect(offered('upland-cast convert --fi')).toEqual(['--filter', '--fill-voids']);
    expect(offered('upland-cast convert a.tif b.tif --filter ave')).toEqual(['average']);
    expect(offered('upland-cast apply a.tif b.tif --step flu')).toEqual(['fluvial']);
    expect(offered('upland-cast run start:down')).toEqual(['start:downland']);
    expect(offered('upland-cast order fell.uplandcast out --receiver power-of')).toContain('power-of-two-plus-one');
    expect(offered('upland-cast inspect su')).toEqual(['__tabtab_complete_files__']);
    expect(offered('upland-cast convert a.tif b.tif --size ')).toEqual(['__tabtab_complete_files__']);
  });

  it('is a script that bash reads and completes by', () => {
    const script = uplandCast('completion', 'bash').out;
    const asked = `upland-cast() { "${process.execPath}" "${CLI}" "$@"; }
${script}
COMP_WORDS=(upland-cast der); COMP_CWORD=1; COMP_LINE='upland-cast der'; COMP_POINT=\${#COMP_LINE}
_upland-cast_completion; printf '%s\\n' "\${COMPREPLY[@]}"`;
    expect(execFileSync('bash', ['-c', asked], { encoding: 'utf8' }).trim()).toBe('derive');
    expect(uplandCast('completion', 'tcsh').status).toBe(2);
  });
});
