import { chmodSync, existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { Rewrites } from '../../src/world/rewrites.ts';
import { temporaryFolder } from '../builders/repository.ts';

it('puts files back as they were, with their modes, and removes new ones', async () => {
  const folder = temporaryFolder();
  const [script, added] = [path.join(folder, 'tide.sh'), path.join(folder, 'new.txt')];
  const before = Buffer.from([0xff, 0, 10, 13]);
  writeFileSync(script, before);
  chmodSync(script, 0o755);
  const rewrites = new Rewrites();

  await rewrites.write(script, 'ebb');
  await rewrites.write(script, 'flood');
  await rewrites.write(added, 'slack');
  expect([readFileSync(script, 'utf8'), statSync(script).mode & 0o777]).toEqual(['flood', 0o755]);
  await rewrites.undo();
  expect([readFileSync(script), statSync(script).mode & 0o777, existsSync(added)]).toEqual([before, 0o755, false]);

  // What is written after that is not undone together with what was.
  writeFileSync(script, 'spring');
  await rewrites.undo();
  expect(readFileSync(script, 'utf8')).toBe('spring');
});

it('fails where something else than a file lies, or no folder', async () => {
  const folder = temporaryFolder();
  await expect(new Rewrites().write(folder, 'ebb')).rejects.toMatchObject({ code: 'EISDIR' });
  const nowhere = path.join(folder, 'missing/tide.txt');
  await expect(new Rewrites().write(nowhere, 'ebb')).rejects.toMatchObject({ code: 'SYSTEM_REFUSED' });
});
