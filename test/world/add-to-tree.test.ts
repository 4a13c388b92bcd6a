// Files added to a tree, against git's own index.
import { execFileSync } from 'node:child_process';
import path from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addToTree } from '../../src/world/git/add-to-tree.ts';
import { addToLedger, ledgerRef } from '../../src/world/git/ledger-store.ts';
import { openRepository } from '../../src/world/git/repository.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';

type Asking = { readonly folder: string; readonly commit: string | null; readonly files: ReadonlyMap<string, string> };

/** The same by git's index. */
function byIndex({ folder, commit, files }: Asking): string {
  const env = { ...testEnvironment(), GIT_INDEX_FILE: path.join(temporaryFolder(), 'index') };
  const git = (args: readonly string[], input = '') =>
    execFileSync('git', args, { cwd: folder, env, input, encoding: 'utf8' }).trim();
  git(commit === null ? ['read-tree', '--empty'] : ['read-tree', commit]);
  git(
    ['update-index', '-z', '--add', '--index-info'],
    [...files].map(([file, id]) => `100644 ${id}\t${file}\0`).join(''),
  );
  return git(['write-tree']);
}

const add = ({ folder, commit, files }: Asking) => addToTree({ folder, env: testEnvironment() }, commit, files);
const blob = (r: TestRepository, text: string) =>
  execFileSync('git', ['hash-object', '-w', '--stdin'], { cwd: r.folder, input: text, encoding: 'utf8' }).trim();

const base = {
  'tidemark/1.4.0/a.json': 'a',
  'tidemark/1.4.0.txt': 'beside',
  '@tides/gauges/0.2.0/b.json': 'b',
  'höhe/1.0.0/c.json': 'c',
  'run.sh': '#!/bin/sh\n',
};

describe('files in a tree', () => {
  it.each([
    ['a folder that is there', ['tidemark/1.4.0/z.json']],
    ['new folders', ['tidemark/1.5.0/a.json', 'bells/0.1.0/a.json']],
    ['a name in place of an old one', ['tidemark/1.4.0/a.json', 'run.sh']],
    ['names beyond ASCII', ['höhe/1.0.0/ü.json', 'größe/1.0.0/ö.json']],
    [
      'names that sort beside a folder of the same beginning',
      ['tidemark/1.4.0-rc.1/a.json', 'tidemark.json', 'a b/c d'],
    ],
    ['the root', ['index.json']],
  ])('added to %s give what git would', async (_, paths) => {
    const r = new TestRepository(base);
    const files = new Map(paths.map((file) => [file, blob(r, file)]));

    for (const commit of [r.head, null])
      expect(await add({ folder: r.folder, commit, files })).toBe(byIndex({ folder: r.folder, commit, files }));
  });

  it('give what git would, whatever their paths', async () => {
    const r = new TestRepository(base);
    const id = blob(r, 'x');
    const name = fc.constantFrom('a', 'b', 'a.b', 'a-b', 'ab', 'tidemark', '1.4.0', 'ö');
    const paths = fc.uniqueArray(fc.array(name, { minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: 8 });
    await fc.assert(
      fc.asyncProperty(paths, async (parts) => {
        const files = new Map(parts.map((part) => [part.join('/'), id]));
        const isIn = (file: string, other: string) => other.startsWith(`${file}/`);
        const all = [...files.keys(), ...Object.keys(base)];
        const isOdd = all.some((file) => all.some((other) => isIn(file, other)));
        const made = await add({ folder: r.folder, commit: r.head, files });
        if (isOdd) expect(made).toBeNull();
        else expect(made).toBe(byIndex({ folder: r.folder, commit: r.head, files }));
      }),
      { numRuns: 30 },
    );
  });

  it('are not added where a folder was lost: what it held would go with it', async () => {
    const r = new TestRepository(base);
    const id = blob(r, 'x');
    const lost = `040000 tree ${'5'.repeat(40)}\ttidemark\n`;
    const at = { cwd: r.folder, env: testEnvironment(), encoding: 'utf8' } as const;
    const tree = execFileSync('git', ['mktree', '--missing'], { ...at, input: lost }).trim();
    const commit = r.git('commit-tree', '-m', 'lost', tree).trim();
    const files = new Map([['tidemark/1.5.0/a.json', id]]);

    expect(await add({ folder: r.folder, commit, files })).toBeNull();
    expect(await add({ folder: r.folder, commit: '5'.repeat(40), files })).toBeNull();
  });
});

it('a ledger with a file where a folder should be refuses an event, and stays as it is', async () => {
  const r = new TestRepository({ tidemark: 'no folder\n' });
  r.git('update-ref', ledgerRef, r.head);
  const repository = await openRepository(r.folder, testEnvironment());
  const event = { path: 'tidemark/1.4.0/a.json', text: '{}' };

  await expect(addToLedger(repository, [event], 'Record')).rejects.toMatchObject({ code: 'LEDGER_DAMAGED' });
  expect(r.git('rev-parse', ledgerRef).trim()).toBe(r.head);

  await addToLedger(repository, [{ ...event, path: 'gauges/0.2.0/a.json' }], 'Record');
  expect(r.git('ls-tree', '-r', '--name-only', ledgerRef).trim().split('\n')).toEqual([
    'gauges/0.2.0/a.json',
    'tidemark',
  ]);
});
