import { existsSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { openRepository } from '../../src/world/git/repository.ts';
import { checkOut } from '../../src/world/git/worktree.ts';
import { TestRepository, testEnvironment } from '../builders/repository.ts';

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
