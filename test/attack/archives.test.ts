import { spawn } from 'node:child_process';
import {
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  realpathSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import path from 'node:path';
import { buffer } from 'node:stream/consumers';
import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { pack } from 'tar-stream';
import { describe, expect, it } from 'vitest';
import { refuseExtraction } from '../../src/core/contents/extraction.ts';
import { extractArchive } from '../../src/world/archive/extract.ts';
import { bevelstoneJson, programFile } from '../builders/program.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { appears } from '../builders/wait.ts';

type Part = {
  readonly name: string;
  readonly type?: 'file' | 'symlink' | 'link' | 'directory' | 'character-device' | 'fifo';
  readonly linkname?: string;
  readonly text?: string;
};

const file = (name: string, text = 'x'): Part => ({ name, text });
const link = (name: string, linkname: string): Part => ({ name, type: 'symlink', linkname });
const folder = (name: string): Part => ({ name, type: 'directory' });

/** A tar.gz in the order of its parts, as somebody else could write it. */
async function tarOf(parts: readonly Part[]): Promise<string> {
  const archive = pack();
  for (const { text = '', ...header } of parts) {
    if (header.type === undefined) archive.entry({ mtime: new Date(0), ...header }, text);
    else archive.entry({ mtime: new Date(0), ...header });
  }
  archive.finalize();
  const place = path.join(temporaryFolder(), 'theirs.tar.gz');
  writeFileSync(place, gzipSync(await buffer(archive)));
  return place;
}

/** Everything below a folder, links with their targets. */
function below(top: string): string[] {
  return (
    readdirSync(top, { recursive: true, encoding: 'utf8' })
      .map((name) =>
        lstatSync(path.join(top, name)).isSymbolicLink() ? `${name} -> ${readlinkSync(path.join(top, name))}` : name,
      )
      // A link to a folder is listed with what is in the folder.
      .filter((name) => !name.includes('p/latest/'))
      .sort()
  );
}

describe('inspect --extract', () => {
  it.each<[string, readonly Part[]]>([
    [
      'a link that leads out through another link',
      [folder('a/b'), link('a/b/y', '../..'), link('out', 'a/b/y/../..'), file('z')],
    ],
    ['a link through a link to the folder itself', [link('d', '.'), file('d/x')]],
    ['a file below a link', [link('d', 'e'), file('d/x')]],
    ['a link that takes the place of a folder', [file('d/x'), link('d', '/tmp')]],
    ['a folder and a file of one name', [folder('a'), file('a')]],
    ['a file and a folder of one name', [file('a'), file('a/b')]],
    ['two files of one name', [file('a'), file('a', 'y')]],
    ['two names that differ in capitals', [file('a'), file('A')]],
    ['a link that is absolute', [link('a', '/etc/passwd')]],
    ['a link to nothing', [link('a', '')]],
    ['links that lead to each other', [link('a', 'b'), link('b', 'a'), link('c', 'a/x')]],
    ['a hard link', [file('a'), { name: 'b', type: 'link', linkname: 'a' }]],
    ['a hard link to the outside', [{ name: 'b', type: 'link', linkname: '/etc/passwd' }]],
    ['a device', [{ name: 'null', type: 'character-device' }]],
    ['a pipe', [{ name: 'pipe', type: 'fifo' }]],
    ['a name of 256 bytes', [file('a'.repeat(256))]],
    ['a name of 150 letters in 300 bytes', [file('é'.repeat(150))]],
    ['a path that climbs', [file('a/../../b')]],
  ])('writes nothing of an archive with %s', async (_, parts) => {
    const top = temporaryFolder();

    const run = await bevelstoneJson(['inspect', await tarOf(parts), '--extract', 'out'], { cwd: top });

    expect([run.exitCode, ['EXTRACT_UNSAFE', 'ARCHIVE_DAMAGED']]).toEqual([
      3,
      expect.arrayContaining([run.error?.code]),
    ]);
    expect(readdirSync(top)).toEqual([]);
  });

  it('writes what is harmless, with links that stay inside', async () => {
    const top = temporaryFolder();
    const parts = [
      folder('p/lib'),
      file('p/lib/tide.js', 'high'),
      link('p/latest', 'lib/../lib'),
      link('p/again', 'latest/tide.js'),
      file('p/empty', ''),
    ];

    const run = await bevelstoneJson(['inspect', await tarOf(parts), '--extract', 'deep/out'], { cwd: top });

    expect(run.error).toBeNull();
    expect(below(path.join(top, 'deep'))).toEqual([
      'out',
      'out/p',
      'out/p/again -> latest/tide.js',
      'out/p/empty',
      'out/p/latest -> lib/../lib',
      'out/p/lib',
      'out/p/lib/tide.js',
    ]);
    expect(readFileSync(path.join(top, 'deep/out/p/again'), 'utf8')).toBe('high');
  });

  it('follows no link that already exists in the target folder', async () => {
    const [top, outside] = [temporaryFolder(), temporaryFolder()];
    mkdirSync(path.join(top, 'out'));
    symlinkSync(outside, path.join(top, 'out/p'));

    const run = await bevelstoneJson(['inspect', await tarOf([file('p/x')]), '--extract', 'out'], { cwd: top });

    expect([run.exitCode, run.error?.code]).toEqual([3, 'EXTRACT_UNSAFE']);
    expect(readdirSync(outside)).toEqual([]);
    const fresh = await bevelstoneJson(['inspect', await tarOf([file('p/x')]), '--extract', 'other'], { cwd: top });
    expect(fresh.error).toBeNull();
  });

  it('leaves nothing under its name when it is killed in the middle', async () => {
    const top = temporaryFolder();
    const many = Array.from({ length: 4000 }, (_, index) => file(`p/${index}.txt`, 'x'.repeat(2000)));
    const archive = await tarOf(many);

    const child = spawn(process.execPath, [programFile, 'inspect', archive, '--extract', 'out'], {
      cwd: top,
      env: testEnvironment(),
      stdio: 'ignore',
    });
    const ended = new Promise((resolve) => child.on('close', resolve));
    await appears(top, /./);
    child.kill('SIGKILL');
    await ended;

    expect(existsSync(path.join(top, 'out'))).toBe(false);
  });

  it('never leaves its folder, whatever the links are', async () => {
    const name = fc.constantFrom('a', 'b', 'a/b', 'a/c', 'a/b/c', 'd', 'b/d');
    const target = fc
      .array(fc.constantFrom('a', 'b', 'c', 'd', '..', '.', '...'), { minLength: 1, maxLength: 6 })
      .map((parts) => parts.join('/'));
    const part = fc.oneof(
      name.map((name) => file(name)),
      name.map(folder),
      fc.tuple(name, target).map(([value, to]) => link(value, to)),
    );
    let extracted = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(part, { minLength: 1, maxLength: 7 }), async (parts) => {
        const top = temporaryFolder();
        const isDone = await extractArchive(await tarOf(parts), path.join(top, 'out')).then(
          () => true,
          (error: { code: string }) => {
            expect(['EXTRACT_UNSAFE', 'ARCHIVE_DAMAGED']).toContain(error.code);
            return false;
          },
        );
        expect(readdirSync(top)).toEqual(isDone ? ['out'] : []);
        if (!isDone) return;
        extracted++;
        const root = realpathSync(path.join(top, 'out'));
        for (const entry of readdirSync(root, { recursive: true, encoding: 'utf8' })) {
          const real = (() => {
            try {
              return realpathSync(path.join(root, entry));
            } catch {
              return root;
            }
          })();
          expect(real === root || real.startsWith(root + path.sep)).toBe(true);
        }
      }),
      { numRuns: 400 },
    );
    expect(extracted).toBeGreaterThan(20);
  });

  it('decides before anything is read from the disk', () => {
    const entry = (name: string, type: 'file' | 'symlink', linkname: string | null = null) => ({
      path: name,
      type,
      linkname,
    });

    expect(refuseExtraction([entry('a', 'file'), entry('l', 'symlink', 'a')])).toBeNull();
    expect(refuseExtraction([entry('d/l', 'symlink', '../x')])).toBeNull();
    expect(refuseExtraction([entry('d/l', 'symlink', '../../x')])?.path).toBe('d/l');
    expect(refuseExtraction([entry('up', 'symlink', 'd/..'), entry('l', 'symlink', 'up/../x')])?.path).toBe('l');
  });
});
