import { existsSync, mkdirSync, readFileSync, utimesSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { moveBranch, undoHalfMove } from '../../src/world/git/move-branch.ts';
import { openRepository } from '../../src/world/git/repository.ts';
import { noteLocks, sweepLeftovers } from '../../src/world/leftovers.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';

const old = { 'package.json': '{ "version": "1.3.2" }', 'README.md': 'Tides' };
const next = {
  'package.json': '{ "version": "1.4.0", "private": false }',
  'notes/CHANGELOG.md': '## 1.4.0\n\n- Tides',
};

type Half = (repository: TestRepository, write: (file: string, text: string) => void) => void;

async function halfMoved(half: Half) {
  const repository = new TestRepository(old);
  const from = repository.head;
  const to = repository.commit('chore: release', { files: next });
  repository.git('reset', '--quiet', '--hard', from);
  mkdirSync(path.join(repository.folder, 'notes'));
  const write = (file: string, text: string) => writeFileSync(path.join(repository.folder, file), text);
  half(repository, write);
  const opened = await openRepository(repository.folder, testEnvironment());
  await undoHalfMove(opened, from, to);
  const isClean = repository.git('status', '--porcelain', '--untracked-files=all') === '';
  return { repository, opened, from, to, isClean };
}

it.each<[string, Half]>([
  ['nothing', () => {}],
  ['one file', (_, write) => write('package.json', next['package.json'])],
  ['the beginning of a file', (_, write) => write('package.json', '{ "version": "1.4')],
  ['an empty file', (_, write) => write('notes/CHANGELOG.md', '')],
  ['files, and no index', (_, write) => write('notes/CHANGELOG.md', next['notes/CHANGELOG.md'])],
  ['the index, and no files', (repository) => repository.git('read-tree', 'main@{1}')],
  ['all but the branch', (repository) => repository.git('read-tree', '-u', '-m', 'main', 'main@{1}')],
])('a move of the branch that was cut after it had written %s is begun again', async (_, half) => {
  const { repository, opened, to, isClean } = await halfMoved(half);

  expect(isClean).toBe(true);
  expect(await moveBranch({ repository: opened, branch: 'main', commit: to, allow: [] })).toBe(true);
  expect([repository.head, repository.git('status', '--porcelain')]).toEqual([to, '']);
});

it.each<[string, Half]>([
  ['edited', (_, write) => write('package.json', '{ "version": "2.0.0" }')],
  ['written', (_, write) => write('notes/CHANGELOG.md', '## 1.4.0\n\n- Tides, and more')],
  [
    'staged',
    (repository, write) => {
      write('package.json', '{ "mine": true }');
      repository.git('add', 'package.json');
      write('package.json', '{ "version": "1.4');
    },
  ],
])('what a person has %s stays, and so does the branch', async (_, half) => {
  const before: string[] = [];
  const { repository, opened, from, to } = await halfMoved((testRepository, write) => {
    half(testRepository, write);
    before.push(
      testRepository.git('status', '--porcelain'),
      readFileSync(path.join(testRepository.folder, 'package.json'), 'utf8'),
    );
  });

  expect([
    repository.git('status', '--porcelain'),
    readFileSync(path.join(repository.folder, 'package.json'), 'utf8'),
  ]).toEqual(before);
  expect(await moveBranch({ repository: opened, branch: 'main', commit: to, allow: [1, 128] })).toBe(false);
  expect(repository.head).toBe(from);
});

it('of noted locks only those go that appeared after the note and soon', async () => {
  const common = temporaryFolder();
  const [before, soon, late, outside] = ['before.lock', 'soon.lock', 'late.lock', '../outside.lock'].map((name) =>
    path.join(common, name),
  ) as [string, string, string, string];
  const now = Date.now() / 1000;
  writeFileSync(before, '');
  utimesSync(before, now - 10, now - 10);
  const noted = await noteLocks(common, [before, soon, late, outside]);
  writeFileSync(soon, '');
  writeFileSync(late, '');
  utimesSync(late, now + 300, now + 300);

  await sweepLeftovers(common);
  expect(existsSync(soon)).toBe(true);
  await noted.removeLocks();

  expect([before, soon, late].map((file) => existsSync(file))).toEqual([true, false, true]);
  await noted.forget();
});
