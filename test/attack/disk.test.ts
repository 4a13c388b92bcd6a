import { describe, expect, it } from 'vitest';
import {
  callsOf,
  type DiskFault,
  faultEnvironment,
  faultLibrary,
  leftoversOf,
  temporaryInside,
} from '../builders/disk-fault.ts';
import { extent } from '../builders/extent.ts';
import { releaseWorkspace, uploads, visibleState, type WorkspaceParts } from '../builders/release-workspace.ts';

const clock = { BEVELSTONE_NOW: '2026-11-02T09:30:00Z' };
const parts: WorkspaceParts = { destinations: ['office', 'upstairs', 'shelf'] };

type Undisturbed = { readonly state: unknown; readonly leftovers: readonly string[]; readonly calls: number };
const undisturbed = new Map<string, Promise<Undisturbed>>();

/** What is there after a run that nothing disturbed, and how many calls of a program it took. */
function undisturbedRun(program: DiskFault['program']): Promise<Undisturbed> {
  const make = async () => {
    const w = await releaseWorkspace(parts);
    const run = await w.release([], { ...clock, ...faultEnvironment(w, { program, at: 0, does: 'EIO' }) });
    expect(run.error).toBeNull();
    return { state: visibleState(w), leftovers: leftoversOf(w), calls: callsOf(w) };
  };
  const known = undisturbed.get(program) ?? make();
  undisturbed.set(program, known);
  return known;
}

// So many faults of each kind are spread over a run.
const each = extent(1, 30);
const shares = Array.from({ length: each }, (_, index) => (index + 0.5) / each);

/** Runs a release with a fault somewhere, then finishes it as a person would. */
async function disturb(fault: Omit<DiskFault, 'at'>, share: number) {
  const expected = await undisturbedRun(fault.program);
  const at = Math.max(1, Math.round(share * expected.calls));
  const w = await releaseWorkspace(parts);
  const disturbed = await w.release([], { ...clock, ...faultEnvironment(w, { ...fault, at }) }).catch(() => null);
  const hits = callsOf(w) >= at;
  const own = { ...clock, ...temporaryInside(w) };
  const resumed = await w.release(['--resume'], own);
  // Nothing was begun, or all was done: then there is nothing to resume.
  const last = resumed.error?.code === 'RUN_NOT_FOUND' ? await w.release([], own) : resumed;
  return { w, at, hits, disturbed, resumed, last, expected };
}

describe.runIf(faultLibrary() !== null)('a release on a disk that fails', () => {
  it.each<[string, Omit<DiskFault, 'at'>]>([
    ['killed', { program: 'node', does: 'kill' }],
    ['whose git is killed', { program: 'git', does: 'kill' }],
    ['on a full disk', { program: '', does: 'full' }],
    ['with one write for which there is no room', { program: 'node', does: 'ENOSPC' }],
    ['with one read or write that fails', { program: 'node', does: 'EIO' }],
    ['whose git has one write that fails', { program: 'git', does: 'EIO' }],
  ])(
    '%s at any moment is finished by one command and ends like an undisturbed one',
    async (_, fault) => {
      const all = [];
      for (const share of shares) all.push(await disturbedAt(fault, share));

      expect(all.flatMap(({ wrong }) => wrong)).toEqual([]);
      expect(all.filter(({ hits }) => hits).length).toBeGreaterThanOrEqual(0.75 * each);
    },
    300_000 + each * 60_000,
  );
});

/**
 * What is wrong after a fault; all of it, since each takes a while to find. Runs differ by some calls, so a fault near the end
 * may not happen.
 */
async function disturbedAt(
  fault: Omit<DiskFault, 'at'>,
  share: number,
): Promise<{ hits: boolean; wrong: readonly unknown[] }> {
  const { w, at, hits, disturbed, last, expected } = await disturb(fault, share);
  const error = disturbed?.error ?? null;
  // The remote lies on the same disk; what it could not write is its own word.
  const isFull = fault.does === 'full' && error !== null && error.code !== 'REMOTE_REFUSED';
  const checks: readonly (readonly [string, boolean, unknown])[] = [
    ['the error has a code', error?.code !== 'INTERNAL', error],
    [
      'a full disk ends with 6 and says so',
      !isFull || (disturbed?.exitCode === 6 && /make room/i.test(error.fix)),
      error,
    ],
    ['it is finished', ['NOTHING_TO_RELEASE', undefined].includes(last.error?.code), last.error],
    ['the world sees the same', isSame(visibleState(w), expected.state), visibleState(w)],
    ['nothing was uploaded twice', Math.max(0, ...uploads(w)) <= 1, uploads(w)],
    ['nothing is left behind', isSame(leftoversOf(w), expected.leftovers), leftoversOf(w)],
    ['no ref is left', w.git('for-each-ref', 'refs/bevelstone/run') === '', null],
    ['the working tree is clean', w.git('status', '--porcelain') === '', w.git('status', '--porcelain')],
  ];
  const failed = checks.filter(([, holds]) => !holds).map(([what, , seen]) => ({ what, seen }));
  const wrong =
    failed.length === 0 ? [] : [{ fault: `${fault.program} ${fault.does}`, at, of: expected.calls, failed }];
  return { hits, wrong };
}

function isSame(a: unknown, b: unknown): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}
