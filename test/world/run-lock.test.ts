import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, readlinkSync, writeFileSync } from 'node:fs';
import { hostname } from 'node:os';
import path from 'node:path';
import { execa } from 'execa';
import { expect, it } from 'vitest';
import { thisProcess } from '../../src/world/process-identity.ts';
import { takeLock } from '../../src/world/run-lock.ts';
import { extent } from '../builders/extent.ts';
import { temporaryFolder } from '../builders/repository.ts';

const boot = () => readFileSync('/proc/sys/kernel/random/boot_id', 'utf8').trim();
/** A process that has ended. */
const gone = () => ({ ...thisProcess(), pid: spawnSync(process.execPath, ['-e', '0']).pid, started: '1' });

it('is held by one at a time, and released', async () => {
  const folder = temporaryFolder();

  const release = await takeLock(folder);

  await expect(takeLock(folder)).rejects.toMatchObject({ code: 'RUN_BUSY' });
  await release();
  await (await takeLock(folder))();
  expect(readdirSync(folder).filter((name) => name.endsWith('.tmp'))).toEqual([]);
});

it('leaves a bounded number of files', async () => {
  const folder = temporaryFolder();

  for (let round = 0; round < 40; round++) await (await takeLock(folder))();

  expect(readdirSync(folder).length).toBeLessThan(12);
});

it.runIf(existsSync('/proc/sys/kernel/random/boot_id')).each([
  ['a process of this machine that is gone', gone, true],
  ['a process whose number another one has now', () => ({ ...gone(), pid: process.pid }), true],
  ['an earlier start of this machine', () => ({ ...gone(), boot: 'before', pid: process.pid }), true],
  ['another machine', () => ({ ...gone(), host: 'lighthouse' }), false],
  ['another machine of the same name', () => ({ ...gone(), machine: 'ffff' }), false],
  ['an earlier start of a machine without an id', () => ({ ...gone(), machine: null, boot: 'before' }), false],
  ['another container of this machine', () => ({ ...gone(), namespace: 'pid:[1]' }), false],
  ['a process that runs', thisProcess, false],
])('left by %s is taken over or not', async (_, holder, isTaken) => {
  const folder = temporaryFolder();
  mkdirSync(folder, { recursive: true });
  writeFileSync(path.join(folder, 'lock.7'), JSON.stringify(holder()));

  const taken = await takeLock(folder).then(
    () => true,
    (error: { code: string; fix: string }) => {
      expect(error.fix).toContain(path.join(folder, 'lock.7'));
      return false;
    },
  );

  expect(taken).toBe(isTaken);
});

it('names this host, this start of the machine and this namespace', () => {
  const own = thisProcess();

  expect([own.host, own.boot, own.namespace, own.pid]).toEqual([
    hostname(),
    boot(),
    readlinkSync('/proc/self/ns/pid'),
    process.pid,
  ]);
});

// Each of four processes takes the lock, leaves it as a killed one would or releases it, and looks whether anybody else is inside.
const contender = `
import { closeSync, openSync, readdirSync, unlinkSync, writeFileSync } from 'node:fs';
import { takeLock } from ${JSON.stringify(path.join(import.meta.dirname, '../../src/world/run-lock.ts'))};
const [folder, rounds, stale] = process.argv.slice(2);
let held = 0;
while (held < Number(rounds)) {
  let release;
  try { release = await takeLock(folder); } catch (error) { if (error.code !== 'RUN_BUSY') throw error; continue; }
  held++;
  const inside = folder + '/../inside';
  closeSync(openSync(inside, 'wx'));
  unlinkSync(inside);
  const last = Math.max(...readdirSync(folder).flatMap((name) => /^lock\\.(\\d+)$/.exec(name)?.[1] ?? []));
  if (held % 3 === 0) writeFileSync(folder + '/lock.' + last, stale);
  else await release();
}
`;

it('has never two holders in rounds of four processes, a third of which are taken over from a killed one', async () => {
  const top = temporaryFolder();
  const script = path.join(top, 'contender.mts');
  writeFileSync(script, contender);
  const folder = path.join(top, 'runs');
  mkdirSync(folder);
  const build = path.join(top, 'contender.mjs');
  await execa(path.join(import.meta.dirname, '../../node_modules/.bin/esbuild'), [
    script,
    '--bundle',
    '--platform=node',
    '--format=esm',
    `--outfile=${build}`,
  ]);

  const stale = JSON.stringify(gone());
  const rounds = String(extent(400, 2500));
  const runs = Array.from({ length: 4 }, () =>
    execa(process.execPath, [build, folder, rounds, stale], { reject: false }),
  );

  expect((await Promise.all(runs)).map(({ exitCode, stderr }) => [exitCode, stderr])).toEqual(runs.map(() => [0, '']));
});
