import { readdirSync } from 'node:fs';
import { expect, it } from 'vitest';
import { Store } from '../../src/standin/store.ts';
import { temporaryFolder } from '../builders/repository.ts';

it('leaves nothing of what is too large, however early that is known', async () => {
  const folder = temporaryFolder();
  const store = new Store(folder);
  const large = async function* () {
    yield Buffer.alloc(20);
  };
  const all = Array.from({ length: 50 }, () => store.receive(large(), { maxBytes: 10 }));

  const answers = await Promise.allSettled(all);

  expect(answers.map(({ status }) => status)).toEqual(all.map(() => 'rejected'));
  expect(readdirSync(folder)).toEqual([]);
});
