import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstoneJson } from '../builders/program.ts';
import { type ReleaseWorkspace, releaseWorkspace } from '../builders/release-workspace.ts';
import { temporaryFolder } from '../builders/repository.ts';

const run = (w: ReleaseWorkspace, ...args: string[]) => bevelstoneJson(args, { cwd: w.folder, env: w.env });
const precious = 'this must not be lost\n';

/** A workspace whose tree has links to a folder outside, with something precious in it. */
async function withLinks(change: (config: string) => string, link: readonly [from: string, to?: string]) {
  const w = await releaseWorkspace();
  const outside = temporaryFolder();
  for (const name of ['precious.txt', 'next.md', 'CHANGELOG.md', 'package.json', 'LICENSE'])
    writeFileSync(path.join(outside, name), precious);
  const place = path.join(w.folder, link[0]);
  rmSync(place, { recursive: true, force: true });
  mkdirSync(path.dirname(place), { recursive: true });
  symlinkSync(path.join(outside, link[1] ?? ''), place);
  w.commit('feat: links', { 'bevelstone.yaml': change(readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8')) });
  w.git('push', '--quiet');
  const isUntouched = () =>
    readdirSync(outside).every((name) => readFileSync(path.join(outside, name), 'utf8') === precious);
  return { w, outside, isUntouched };
}

describe('a path of the configuration that is a link', () => {
  it.each<[string, (config: string) => string, readonly [string, string?], readonly string[]]>([
    ['the output folder', (text) => `output: out\n${text}`, ['out'], ['build']],
    ['a folder above the output folder', (text) => `output: a/out\n${text}`, ['a'], ['build']],
    [
      'the folder of a package',
      (text) => text.replace('folder: soundings', 'folder: linked, ecosystem: plain, also: ["soundings/**"]'),
      ['linked'],
      ['build'],
    ],
    ['the changelog', (text) => text, ['soundings/CHANGELOG.md', 'CHANGELOG.md'], ['notes', '--write']],
    [
      'the changelog of a release',
      (text) => text,
      ['soundings/CHANGELOG.md', 'CHANGELOG.md'],
      ['release', '--dry-run'],
    ],
    ['a folder above the notes', (text) => text, ['soundings/notes'], ['release', '--dry-run']],
    [
      'a file that is stamped',
      (text) =>
        text.replace('artifacts:', 'stamp: [{ file: v.txt, find: "this must", write: "{version}" }], artifacts:'),
      ['soundings/v.txt', 'precious.txt'],
      ['build'],
    ],
    ['the manifest', (text) => text, ['soundings/package.json', 'package.json'], ['build']],
    [
      'a destination',
      (text) =>
        text
          .replace(/^ {2}office: .*$/m, '  office: { speaks: folder, url: linked }')
          .replace('[npm-tarball]', '[npm-tarball]'),
      ['linked'],
      ['release'],
    ],
  ])('is not followed: %s', async (_, change, link, command) => {
    const { w, outside, isUntouched } = await withLinks(change, link);

    const made = await run(w, ...command, ...(command[0] === 'release' ? ['--yes'] : []));

    expect(made.exitCode).not.toBe(0);
    expect(['PATH_OUTSIDE', 'MANIFEST_INVALID', 'PACKAGE_NOT_FOUND', 'GATES_REFUSED', 'CONTENTS_UNSAFE']).toContain(
      made.error?.code,
    );
    expect([isUntouched(), readdirSync(outside).length]).toEqual([true, 5]);
  });

  it('never brings a file of this machine into an artifact', async () => {
    const { w } = await withLinks((text) => text, ['soundings/LICENSE', 'LICENSE']);

    const made = await run(w, 'build');

    const built = path.join(w.folder, 'bevelstone-out/soundings-0.1.0/soundings-0.1.0.tgz');
    if (existsSync(built)) {
      const printed = await run(w, 'inspect', built);
      expect(JSON.stringify(printed.result)).not.toContain(precious);
    }
    expect(JSON.stringify(made)).not.toContain(precious.trim());
  });

  it('is followed inside the repository, where packages share a licence', async () => {
    const w = await releaseWorkspace();
    rmSync(path.join(w.folder, 'soundings/LICENSE'));
    symlinkSync('../LICENSE', path.join(w.folder, 'soundings/LICENSE'));
    w.commit('feat: one licence for all', { LICENSE: 'MIT License\n' });

    const made = await run(w, 'build');

    expect(['CONTENTS_UNSAFE', undefined]).toContain(made.error?.code);
    expect(made.error?.code).not.toBe('PATH_OUTSIDE');
  });
});

describe('a release folder', () => {
  it('is never replaced when others made it', async () => {
    const w = await releaseWorkspace();
    const own = path.join(w.folder, 'bevelstone-out/soundings-0.1.0');
    mkdirSync(own, { recursive: true });
    writeFileSync(path.join(own, 'thesis.txt'), precious);

    const made = await run(w, 'build');

    expect([made.exitCode, made.error?.code]).toEqual([3, 'FOLDER_NOT_OURS']);
    expect(readFileSync(path.join(own, 'thesis.txt'), 'utf8')).toBe(precious);
    expect(readdirSync(path.dirname(own))).toEqual(['soundings-0.1.0']);
  });

  it('that was built before is replaced', async () => {
    const w = await releaseWorkspace();
    await run(w, 'build');
    writeFileSync(path.join(w.folder, 'bevelstone-out/soundings-0.1.0/old.txt'), 'old');

    const again = await run(w, 'build');

    expect(again.error).toBeNull();
    expect(readdirSync(path.join(w.folder, 'bevelstone-out/soundings-0.1.0'))).not.toContain('old.txt');
  });
});

describe('a folder destination', () => {
  it('follows no planted link', async () => {
    const w = await releaseWorkspace({ destinations: ['shelf'] });
    const outside = temporaryFolder();
    mkdirSync(path.join(w.top, 'shelf'));
    symlinkSync(outside, path.join(w.top, 'shelf/soundings'));

    const made = await w.release();

    expect(made.exitCode).not.toBe(0);
    expect(readdirSync(outside)).toEqual([]);
  });

  it('contains no half-written file, neither during the delivery nor afterwards', async () => {
    const w = await releaseWorkspace({ destinations: ['shelf'] });

    await w.release([], { BEVELSTONE_FAULT: 'sent:*:before' }).catch(() => null);
    const shelf = path.join(w.top, 'shelf');
    const between = existsSync(shelf) ? readdirSync(shelf, { recursive: true }).map(String) : [];
    const made = await w.release(['--resume']);

    expect(made.error).toBeNull();
    expect(
      [...between, ...readdirSync(path.join(w.top, 'shelf'), { recursive: true }).map(String)].filter((name) =>
        /tmp|incoming/.test(name),
      ),
    ).toEqual([]);
    expect(readdirSync(w.top).filter((name) => name.startsWith('.bevelstone'))).toEqual([]);
  });
});
