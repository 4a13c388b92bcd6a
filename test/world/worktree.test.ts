import { existsSync, statSync } from 'node:fs';
import path from 'node:path';
import { afterEach, expect, it } from 'vitest';
import { openRepository } from '../../src/world/git/repository.ts';
import { checkOut, copyWorkingFolder } from '../../src/world/git/worktree.ts';
import { TestRepository, testEnvironment } from '../builders/repository.ts';

const before = process.umask();
afterEach(() => {
  process.umask(before);
});

it('checkouts of many packages at once do not disturb each other, and leave no trace', async () => {
  const repository = new TestRepository({ 'a.txt': 'tides' });
  const opened = await openRepository(repository.folder, testEnvironment());
  const commit = repository.head;

  const rounds = Array.from({ length: 60 }, async (_, index) => {
    const checkout = await checkOut(opened, commit, `p${index}-`);
    const isThere = existsSync(path.join(checkout.folder, 'a.txt'));
    await checkout.remove();
    return isThere && !existsSync(checkout.folder);
  });

  expect(await Promise.all(rounds)).toEqual(rounds.map(() => true));
  expect(repository.git('worktree', 'list').split('\n')).toHaveLength(1);
});

it.each([
  ['checkouts', checkOut],
  ['copies of the working folder', (opened: Parameters<typeof checkOut>[0]) => copyWorkingFolder(opened)],
])('%s made at the same time have usual modes, and the process keeps its umask', async (_, make) => {
  const repository = new TestRepository({ 'tables/deep/a.txt': 'tides', 'tables/b.txt': 'more' });
  const opened = await openRepository(repository.folder, testEnvironment());
  const commit = repository.head;
  repository.git('reset', '--quiet', '--hard');
  process.umask(0o077);

  const checkouts = await Promise.all(Array.from({ length: 6 }, () => make(opened, commit)));

  expect(process.umask()).toBe(0o077);
  const modes = checkouts.flatMap(({ folder, out }) =>
    [out, folder, `${folder}/tables`, `${folder}/tables/deep`, `${folder}/tables/b.txt`].map((place) =>
      (statSync(place).mode & 0o777).toString(8),
    ),
  );
  expect(modes).toEqual(checkouts.flatMap(() => ['755', '755', '755', '755', '644']));
  await Promise.all(checkouts.map(({ remove }) => remove()));
});
