import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import type { FileRuleConfig } from '../../../src/core/config/config.ts';
import { type FromSource, fromSource } from '../../../src/core/form/source-archive/from-source.ts';
import { shellText } from '../../../src/core/source/shell-text.ts';
import { archiveOrigin, sourceBlock } from '../../../src/core/source/source-block.ts';
import { fileRule } from '../../builders/form-input.ts';
import { temporaryFolder } from '../../builders/repository.ts';

const step = (run: string, more: object = {}) => ({
  name: 'make it',
  run,
  in: '.',
  env: {},
  for: null,
  'at-most': 60_000,
  ...more,
});

function sourceOf(
  steps: ReturnType<typeof step>[],
  install: readonly FileRuleConfig[] | null = null,
  more: Partial<FromSource> = {},
): FromSource {
  const made = fromSource({
    name: 'tides',
    fullName: 'tides',
    ecosystem: 'plain',
    config: { tools: [], build: steps, platforms: [], artifacts: [], 'built-for': 'release' },
    manifest: null,
    version: '1.4.0',
    commit: 'c0ffee0000000000000000000000000000000001',
    time: 1_775_000_000,
    folder: '',
    install,
    helpers: [],
    release: {
      program: '0.1.0',
      manifest: null,
      supplier: null,
      stream: { type: 'stable', name: 'stable' },
      notes: null,
    },
    inputs: [],
  });
  return { ...made, ...more };
}

/** Runs a block in an empty HOME, with sources that a shell packed. */
function run(source: FromSource, files: Readonly<Record<string, string>>, { sha256 = '', blanks = false } = {}) {
  const top = temporaryFolder();
  const here = path.join(top, blanks ? 'a folder' : 'here');
  const sources = path.join(top, 'tides-1.4.0');
  for (const [file, text] of Object.entries(files)) {
    mkdirSync(path.join(sources, path.dirname(file)), { recursive: true });
    writeFileSync(path.join(sources, file), text);
  }
  const archive = path.join(top, 'kept.tar.gz');
  execFileSync('tar', ['-czf', archive, '-C', top, 'tides-1.4.0']);
  const digest = createHash('sha256').update(readFileSync(archive)).digest('hex');
  mkdirSync(here);
  const origin = archiveOrigin({
    fetch: `cp ${archive} tides.tar.gz`,
    file: 'tides.tar.gz',
    sha256: sha256 || digest,
    top: 'tides-1.4.0',
  });
  const temporary = path.join(top, blanks ? 'work here' : 'work');
  mkdirSync(temporary);
  const env = { PATH: process.env['PATH'] ?? '', HOME: path.join(top, 'home'), TMPDIR: temporary };
  const block = `exec 2>&1\n${sourceBlock(source, origin)}\necho still here`;
  const out = execFileSync('sh', ['-c', block], { cwd: here, env, encoding: 'utf8' });
  expect(readdirSync(temporary)).toEqual([]);
  return { out, digest, installed: path.join(here, 'tides-1.4.0') };
}

describe('a block', () => {
  it('fetches, checks, builds and installs, in folders with blanks too', () => {
    const source = sourceOf(
      [
        step(
          'mkdir -p {out}/lib && cat {version}.txt > {out}/lib/table.txt && echo "{commit}" >> \'{out}/lib/table.txt\'',
        ),
      ],
      [
        fileRule('{out}/lib', 'share'),
        fileRule('docs'),
        fileRule('docs/deep/note.txt', 'notes'),
        { ...fileRule('1.4.0.txt'), as: 'x/y.txt' },
      ],
    );

    const { installed } = run(source, { '1.4.0.txt': 'high\n', 'docs/deep/note.txt': 'low\n' }, { blanks: true });

    expect(readFileSync(path.join(installed, 'share/table.txt'), 'utf8')).toBe(
      'high\nc0ffee0000000000000000000000000000000001\n',
    );
    expect(readFileSync(path.join(installed, 'docs/deep/note.txt'), 'utf8')).toBe('low\n');
    expect(readFileSync(path.join(installed, 'notes/note.txt'), 'utf8')).toBe('low\n');
    expect(readFileSync(path.join(installed, 'x/y.txt'), 'utf8')).toBe('high\n');
  });

  it('stops at a wrong digest, shows both, installs nothing, and leaves the shell', () => {
    const { out, digest, installed } = run(sourceOf([]), { a: 'a' }, { sha256: 'a'.repeat(64) });

    expect(out).toContain(`wrong SHA-256: ${digest}, expected ${'a'.repeat(64)}`);
    expect(out).toContain('still here');
    expect(existsSync(installed)).toBe(false);
  });

  it('stops at a step that fails and at a tool that is missing', () => {
    const failed = run(sourceOf([step('echo made; false'), step('echo never')]), { a: 'a' });
    const missing = run(sourceOf([], null, { tools: [{ name: 'no-such-tool', range: '>=2' }] }), { a: 'a' });

    expect(failed.out).not.toContain('never');
    expect(existsSync(failed.installed)).toBe(false);
    expect(missing.out).toContain('no-such-tool is needed, and it is not on the PATH');
  });

  it('installs the folder as it is after the steps where no archive says what', () => {
    const { installed } = run(sourceOf([step('echo made > made.txt', { in: 'deep' })]), { 'deep/a.txt': 'a' });

    expect(readdirSync(path.join(installed, 'deep')).sort()).toEqual(['a.txt', 'made.txt']);
  });

  it('runs steps of the own platform alone, with their variables', () => {
    const env = { WHERE: '{out}/$HOME "x"' };
    const steps = [
      step('echo "$WHERE" > {out}/{platform}.txt', { env }),
      step('echo other > {out}/other.txt', { for: 'cray-x64' }),
    ];
    const source = sourceOf(steps, [fileRule('{out}')], { platforms: ['linux-x64', 'cray-x64'] });

    const { installed } = run(source, { a: 'a' });

    const [name = ''] = readdirSync(installed);
    expect(readdirSync(installed)).toHaveLength(1);
    expect(name).toMatch(/^\w+-\w+\.txt$/);
    expect(readFileSync(path.join(installed, name), 'utf8')).toMatch(/\/out\/\$HOME "x"\n$/);
  });

  it('puts platforms into paths, and what steps made beside the folder where no archive says what', () => {
    const steps = [step('mkdir -p {out}/{platform} && echo sea > {out}/{platform}/sea.txt')];
    const named = sourceOf(steps, [fileRule('{out}/{platform}', 'lib/{platform}')], { platforms: ['linux-x64'] });

    const { installed } = run(named, { a: 'a' });
    const [platform = ''] = readdirSync(path.join(installed, 'lib'));
    expect(readFileSync(path.join(installed, 'lib', platform, 'sea.txt'), 'utf8')).toBe('sea\n');

    const all = run(sourceOf([step('echo sea > {out}/sea.txt')]), { a: 'a' });
    expect(readFileSync(path.join(all.installed, 'out/sea.txt'), 'utf8')).toBe('sea\n');
    expect(readFileSync(path.join(all.installed, 'a'), 'utf8')).toBe('a');
  });

  it('runs nothing that stands in a path, a name or a range', () => {
    // What is run prints another text than what is shown.
    const hostile = '$(printf brok%s en >&2)`printf brok%s en >&2`;printf brok%s en >&2';
    const rules = [fileRule(hostile), fileRule('a', hostile), { ...fileRule('a'), as: hostile }];
    const source = sourceOf([step('true', { name: hostile, in: '.', env: { A: hostile } })], rules, {
      tools: [{ name: 'sh', range: `\n${hostile}` }],
      needs: { build: [{ name: `x\n${hostile}`, range: hostile }], run: [] },
    });

    const { out, installed } = run(source, { a: 'a', [hostile]: 'a' });

    expect(out).not.toContain('broken');
    expect(readdirSync(installed).sort()).toEqual([hostile].sort());
    expect(out).toContain('still here');
  });

  it('says which rules a shell cannot follow', () => {
    const rules = [fileRule('**/*.txt', 'x'), fileRule('a.txt')];
    const { out } = run(sourceOf([], rules, { helpers: ['pkg-config'] }), { 'a.txt': 'a' });

    expect(out).toContain('not installed, choose by hand: **/*.txt');
    expect(out).toContain('not installed, only a release has them: pkg-config');
  });
});

describe('placeholders', () => {
  it.each([
    ['cp {out}/x y', 'cp "$BEVELSTONE_OUT"/x y'],
    ['cp "{out}/x" y', `cp "\${BEVELSTONE_OUT}/x" y`],
    ["cp '{out}/x' y", `cp ''"$BEVELSTONE_OUT"'/x' y`],
    ['echo \\"{out}', 'echo \\""$BEVELSTONE_OUT"'],
    ['echo {version} {other} {platform}', 'echo 1.4.0 {other} "$BEVELSTONE_PLATFORM"'],
  ])('in %s', (text, expected) => {
    expect(shellText(text, { version: '1.4.0' })).toBe(expected);
  });
});
