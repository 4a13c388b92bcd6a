import { execa } from 'execa';
import { describe, expect, it } from 'vitest';
import { leftoversOf, temporaryInside } from '../builders/disk-fault.ts';
import { isFull } from '../builders/extent.ts';
import {
  faultyProgram,
  type ReleaseWorkspace,
  releaseWorkspace,
  uploads,
  visibleState,
  type WorkspaceParts,
} from '../builders/release-workspace.ts';
import { testEnvironment } from '../builders/repository.ts';

const clock = { BEVELSTONE_NOW: '2026-11-02T09:30:00Z' };
const board = `afterwards: ['node -e "process.stdin.pipe(require(\\"fs\\").createWriteStream(\\"../board.txt\\"))"']\n`;

const workspaceParts: WorkspaceParts = { destinations: ['office'], more: board };
const three: WorkspaceParts = { destinations: ['office', 'upstairs', 'shelf'], more: board };

/** Every moment at which the program can die, by step; `*` is the first of several. */
const moments: readonly (readonly [step: string, key: string, moment: string])[] = [
  ...['opened', 'gated'].flatMap((step) => ['before', 'after-done'].map((moment) => [step, '', moment] as const)),
  ['surveyed', '', 'after-done'],
  ...['committed', 'built', 'sbom', 'push', 'ledgered', 'settled'].flatMap((step) =>
    ['before', 'after-effect', 'after-done'].map((moment) => [step, '', moment] as const),
  ),
  ...['verified', 'agreed'].flatMap((step) => ['before', 'after-done'].map((moment) => [step, '', moment] as const)),
  ...['tagged', 'sent', 'confirmed', 'pointed'].flatMap((step) =>
    ['before', 'after-effect', 'after-done'].map((moment) => [step, '*', moment] as const),
  ),
  ['planned', '*', 'after-done'],
  ['afterwards', '*', 'after-done'],
  ['closed', '', 'after-done'],
];

const delivery = (destination: string) => `soundings@0.1.0 soundings-0.1.0.tgz ${destination}`;

/** The same at each destination of three. */
const later = ['upstairs', 'shelf'].flatMap((destination) => [
  ...['before', 'after-effect', 'after-done'].flatMap((moment) => [
    ['sent', delivery(destination), moment] as const,
    ['confirmed', delivery(destination), moment] as const,
  ]),
  ...['before', 'after-effect'].map((moment) => ['pointed', `soundings@0.1.0 ${destination}`, moment] as const),
]);

type End = { readonly seen: unknown; readonly left: readonly string[] };
const undisturbed = new Map<WorkspaceParts, Promise<End>>();

/** What the world sees, and what lies about on this machine, after a run that nothing disturbed. */
function undisturbedEnd(parts: WorkspaceParts): Promise<End> {
  const make = async () => {
    const w = await releaseWorkspace(parts);
    const run = await w.release([], { ...clock, ...temporaryInside(w) });
    expect(run.error).toBeNull();
    return endOf(w);
  };
  const known = undisturbed.get(parts) ?? make();
  undisturbed.set(parts, known);
  return known;
}

function endOf(w: ReleaseWorkspace): End {
  return { seen: visibleState(w), left: leftoversOf(w) };
}

const isEffect = ([, , moment]: readonly string[]) => moment === 'after-effect';
/** In the short suite: each step once, between its effect and the record of it where it has one. */
const once = moments.filter(
  (moment, index) =>
    isEffect(moment) ||
    (!moments.some((other) => other[0] === moment[0] && isEffect(other)) && moments[index + 1]?.[0] !== moment[0]),
);
const forOne = isFull ? moments : moments.filter((moment) => moment[0] === 'push' && isEffect(moment));
const forThree = isFull ? [...moments, ...later] : [...once, ...later.filter(isEffect)];

/** The tag alone carries the version: the same moments, but that there is no commit. */
const tagOnly: WorkspaceParts = { ...workspaceParts, more: `${board}write-back: { commit: false }\n` };

describe.each([
  ['one destination', workspaceParts, forOne],
  ['the tag alone carrying the version', tagOnly, forOne],
  ['three destinations', three, forThree],
] as const)('killed with %s', (_, parts, all) => {
  it.each(all)('at %s %s %s, the resumed run ends like an undisturbed one', async (step, key, moment) => {
    const expected = await undisturbedEnd(parts);
    const w = await releaseWorkspace(parts);
    const own = { ...clock, ...temporaryInside(w) };

    const killed = await w.release([], { ...own, BEVELSTONE_FAULT: `${step}:${key}:${moment}` }).catch(() => null);
    const waits = w.git('for-each-ref', 'refs/tags') !== '' || step !== 'opened' || moment !== 'before';
    const isOver = step === 'closed';
    const next = await w.release(waits && !isOver ? ['--resume'] : [], own);

    expect(killed, 'it was killed').toBeNull();
    expect(next.error?.code).toBe(isOver ? 'NOTHING_TO_RELEASE' : undefined);
    expect(endOf(w)).toEqual(expected);
    // An answer after the end of the program is not counted; the state shows that the file is there once.
    expect(Math.max(0, ...uploads(w))).toBeLessThanOrEqual(1);
    expect(w.git('for-each-ref', 'refs/bevelstone/run')).toBe('');
    expect(w.git('rev-parse', 'main')).toBe(w.git('rev-parse', 'origin/main'));
    expect(w.git('status', '--porcelain')).toBe('');
  });
});

describe('killed at any time', () => {
  it.each(isFull ? [1, 3, 5, 7, 9, 11, 12] : [5, 12])(
    'after %i lines of progress, the resumed run ends like an undisturbed one',
    async (count) => {
      const expected = await undisturbedEnd(three);
      const w = await releaseWorkspace(three);
      const own = { ...clock, ...temporaryInside(w) };
      const env = testEnvironment({ ...w.env, ...own });
      const child = execa(process.execPath, [faultyProgram(), 'release', '--yes'], {
        cwd: w.folder,
        env,
        extendEnv: false,
        reject: false,
      });
      let lines = 0;
      for await (const _ of child.iterable({ from: 'stderr' })) if (++lines === count) child.kill('SIGKILL');
      await child;
      expect(lines).toBeGreaterThanOrEqual(count);

      const resumed = await w.release(['--resume'], own);
      // Killed before it began, or after it was done: then there is nothing to go on with.
      const isOver = resumed.error?.code === 'RUN_NOT_FOUND';
      const again = isOver ? await w.release([], own) : resumed;

      expect(['NOTHING_TO_RELEASE', undefined]).toContain(again.error?.code);
      expect(endOf(w)).toEqual(expected);
      expect(Math.max(0, ...uploads(w))).toBeLessThanOrEqual(1);
    },
  );
});

describe('with a fault of a destination', () => {
  const upload = { method: 'PUT', path: /^\/(?:node\/soundings|files\/.*\.tgz)$/ } as const;

  it.each([
    ['slow', { type: 'latency', ms: 400 }],
    ['cut while it is sent', { type: 'reset', afterBytes: 100 }],
    ['too busy for a moment', { type: 'status', status: 429, headers: { 'retry-after': '0' } }],
    ['broken for a moment', { type: 'status', status: 500 }],
    ['taken, and the answer lost', { type: 'lost-answer' }],
    ['taken, and hidden for a while', { type: 'hide', ms: 1500 }],
    ['full', { type: 'disk-full', room: 10 }],
  ] as const)('an upload that is %s ends as one that is not', async (_, fault) => {
    const expected = await undisturbedEnd(three);
    const w = await releaseWorkspace({ ...three, faults: [{ ...fault, ...upload, times: 1 }] });

    const first = await w.release([], clock);
    const next = first.error === null ? first : await w.release(['--resume'], clock);

    expect(next.error).toBeNull();
    expect(visibleState(w)).toEqual(expected.seen);
    expect(Math.max(0, ...uploads(w))).toBeLessThanOrEqual(1);
  });
});
