import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { refuseMapped } from '../../../src/core/config/mapped-path.ts';
import { compareFiles } from '../../../src/core/deploy/compare-files.ts';
import { filesOfPart, linknameFor } from '../../../src/core/deploy/mapped-files.ts';
import type { DeployedFile } from '../../../src/core/record/deployment-state.ts';

const file = (path: string, more: Partial<DeployedFile> = {}): DeployedFile => ({
  path,
  type: 'file',
  mode: 0o644,
  sha256: '0'.repeat(64),
  linkname: null,
  ...more,
});
const files = ['lib/low.js', 'lib/deep/high.js', 'library.js', 'README.md'].map((path) => file(path));

describe('a mapped part', () => {
  it.each([
    ['lib', '/opt/tides', ['/opt/tides/low.js', '/opt/tides/deep/high.js']],
    ['README.md', '/opt/about.md', ['/opt/about.md']],
    ['.', '/opt', ['/opt/lib/low.js', '/opt/lib/deep/high.js', '/opt/library.js', '/opt/README.md']],
    ['li', '/opt', []],
  ])('of %s at %s has %j', (from, to, places) => {
    expect(filesOfPart(files, { from, to, isCopied: true }).map((placed) => placed.to)).toEqual(places);
  });

  it.each([
    ['lib', '/srv/tides/tables', 'current/lib'],
    ['.', '/srv/tides/site/all', '../current'],
    ['lib/deep', '/opt/deep', '../srv/tides/current/lib/deep'],
  ])('of %s at %s is a link to %s', (from, to, linkname) => {
    expect(linknameFor({ from, to, isCopied: false }, '/srv/tides')).toBe(linkname);
  });

  it.each([
    ['/srv/tides', 'the folder of the deployment itself'],
    ['/srv', 'lies inside it'],
    ['/srv/tides/current', 'belongs to Bevelstone'],
    ['/srv/tides/versions/x', 'belongs to Bevelstone'],
    ['/srv/tides/.bevelstone', 'belongs to Bevelstone'],
    ['/srv/tides2', null],
    ['/srv/tides/currents', null],
  ])('at %s is refused: %s', (to, why) => {
    const refusal = refuseMapped(to, '/srv/tides');

    if (why === null) expect(refusal).toBeNull();
    else expect(refusal).toContain(why);
  });
});

describe('the difference of two releases', () => {
  it('counts bytes, modes and kinds', () => {
    const before = [file('a'), file('b'), file('c'), file('d')];
    const after = [file('a'), file('b', { sha256: '1'.repeat(64) }), file('c', { mode: 0o755 }), file('e')];

    expect(compareFiles(before, after)).toEqual({ added: ['e'], replaced: ['b', 'c'], removed: ['d'] });
  });

  it('names every file once, and swaps what is added and removed when it is turned round', () => {
    const list = fc
      .uniqueArray(fc.constantFrom('a', 'b', 'c', 'd/e'), {})
      .map((paths) => paths.map((path) => file(path)));
    fc.assert(
      fc.property(list, list, (before, after) => {
        const there = compareFiles(before, after);
        const back = compareFiles(after, before);
        expect(there.added).toEqual(back.removed);
        expect(there.replaced).toEqual(back.replaced);
        expect(new Set([...there.added, ...there.removed]).size).toBe(there.added.length + there.removed.length);
      }),
    );
  });
});
