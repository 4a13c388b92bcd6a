import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { hostname } from 'node:os';
import path from 'node:path';
import { expect, it } from 'vitest';
import { takeLock } from '../../src/world/run-lock.ts';
import { temporaryFolder } from '../builders/repository.ts';

const boot = () => readFileSync('/proc/sys/kernel/random/boot_id', 'utf8').trim();
/** A process that has ended. */
const gone = () => spawnSync(process.execPath, ['-e', '0']).pid;

it('is held by one at a time, and given back', async () => {
  const folder = temporaryFolder();

  const release = await takeLock(folder);

  await expect(takeLock(folder)).rejects.toMatchObject({ code: 'RUN_BUSY' });
  await release();
  await (await takeLock(folder))();
  expect(existsSync(path.join(folder, 'lock'))).toBe(false);
});

it.runIf(existsSync('/proc/sys/kernel/random/boot_id')).each([
  [
    'a process of this start of this machine that is gone',
    () => ({ host: hostname(), boot: boot(), pid: gone(), started: '1' }),
    true,
  ],
  [
    'a process whose number another one has now',
    () => ({ host: hostname(), boot: boot(), pid: process.pid, started: '1' }),
    true,
  ],
  ['another machine', () => ({ host: 'lighthouse', boot: boot(), pid: gone(), started: '1' }), false],
  ['an earlier start of the machine', () => ({ host: hostname(), boot: 'before', pid: gone(), started: '1' }), false],
])('left by %s is taken over or not', async (_, holder, isTaken) => {
  const folder = temporaryFolder();
  writeFileSync(path.join(folder, 'lock'), JSON.stringify(holder()));

  const taken = await takeLock(folder).then(
    () => true,
    (error: { code: string; fix: string }) => {
      expect(error.fix).toContain(path.join(folder, 'lock'));
      return false;
    },
  );

  expect(taken).toBe(isTaken);
});

it('half written by a process that was killed is taken over', async () => {
  const folder = temporaryFolder();
  writeFileSync(path.join(folder, 'lock'), '{"host":');

  await expect(takeLock(folder)).resolves.toBeTypeOf('function');
});
