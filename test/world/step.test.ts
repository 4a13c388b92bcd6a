import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { runStep, type Step } from '../../src/world/step.ts';

let folder: string;

beforeEach(() => {
  folder = mkdtempSync(path.join(tmpdir(), 'bevelstone-step-'));
});
afterEach(() => rmSync(folder, { recursive: true }));

function step(run: string, more: Partial<Step> = {}): Step {
  const env = { PATH: process.env['PATH'] ?? '' };
  const { signal } = new AbortController();
  return { run, folder, env, log: path.join(folder, 'logs/step.log'), signal, timeoutMs: 60_000, ...more };
}

const log = () => readFileSync(path.join(folder, 'logs/step.log'), 'utf8');

it('writes all output into the log, and gives its last lines', async () => {
  const end = await runStep(step('echo low; echo high >&2; exit 3'));

  expect(end).toEqual({ exitCode: 3, isLate: false, tail: ['low', 'high'] });
  expect(log()).toBe('low\nhigh\n');
});

it('runs with umask 022 whatever the user has, which stays as it is', async () => {
  const before = process.umask(0o077);
  try {
    const ends = await Promise.all(
      Array.from({ length: 6 }, (_, index) =>
        runStep(step('umask; echo "$0"', { log: path.join(folder, `${index}.log`) })),
      ),
    );

    expect(ends.map(({ tail }) => tail)).toEqual(ends.map(() => ['0022', expect.stringMatching(/^(\/bin\/)?sh$/)]));
    expect(process.umask()).toBe(0o077);
  } finally {
    process.umask(before);
  }
});

it('gets its input, and nothing when there is none', async () => {
  await runStep(step('cat', { input: 'tides\n' }));
  expect(log()).toBe('tides\n');

  await runStep(step('cat'));
  expect(log()).toBe('');
});

it('that reads none of its input ends as it would', async () => {
  const end = await runStep(step('exit 0', { input: 'x'.repeat(1 << 20) }));

  expect(end.exitCode).toBe(0);
});

it('is stopped with all that it started when its time is over', async () => {
  const end = await runStep(step('echo begun; sleep 600 & sleep 600; echo over', { timeoutMs: 300 }));

  expect([end.isLate, end.exitCode]).toEqual([true, null]);
  expect(log()).not.toContain('over');
});

it('is stopped when the signal comes', async () => {
  const stop = new AbortController();
  const pipe = path.join(folder, 'begun');
  execFileSync('mkfifo', [pipe]);
  const running = runStep(step(`echo begun > ${pipe}; sleep 600`, { signal: stop.signal }));
  // Opening the pipe waits until the step has begun.
  await readFile(pipe, 'utf8');
  stop.abort();

  await expect(running).rejects.toMatchObject({ name: 'AbortError' });
});

it('is not begun when the signal came before', async () => {
  const running = runStep(step('echo begun', { signal: AbortSignal.abort() }));

  await expect(running).rejects.toMatchObject({ name: 'AbortError' });
  expect(existsSync(path.join(folder, 'logs/step.log'))).toBe(false);
});
