import { readdirSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { Incoming } from '../../src/world/incoming.ts';
import { temporaryFolder } from '../builders/repository.ts';

it('writers that begin and end at the same time in one folder do not disturb each other', async () => {
  const shelf = path.join(temporaryFolder(), 'shelf');
  const writers = Array.from({ length: 4 }, (_, writer) =>
    Array.from({ length: 150 }, (_, index) => `tides-${writer}-${index}.txt`),
  );
  // Each begins with a sweep of what the others are just making or removing.
  const write = async (names: readonly string[]) => {
    for (const name of names) await new Incoming(shelf).write(path.join(shelf, name), [Buffer.from(name)], true);
  };
  await Promise.all(writers.map(write));

  expect(readdirSync(shelf).sort()).toEqual(writers.flat().sort());
  expect(readdirSync(path.dirname(shelf))).toEqual(['shelf']);
});
