import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { listFiles } from '../../src/world/list-files.ts';
import { temporaryFolder } from '../builders/repository.ts';

it('lists more files of one folder than a call takes arguments', async () => {
  const folder = temporaryFolder();
  mkdirSync(path.join(folder, 'tiles'));
  const count = 130_000;
  for (let index = 0; index < count; index++) writeFileSync(path.join(folder, 'tiles', `${index}`), '');

  const found = await listFiles(folder);

  expect(found).toHaveLength(count);
  expect(new Set(found.map((file) => file.path)).has('tiles/129999')).toBe(true);
});
