import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { execa } from 'execa';
import { describe, expect, it } from 'vitest';
import { faultEnvironment, faultLibrary, leftoversOf, temporaryInside } from '../builders/disk-fault.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { faultyProgram, type ReleaseWorkspace, releaseWorkspace, uploads } from '../builders/release-workspace.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { appears } from '../builders/wait.ts';

const run = (w: ReleaseWorkspace, args: readonly string[], env: Record<string, string> = {}) =>
  bevelstoneJson(args, { cwd: w.folder, env: { ...w.env, ...env }, program: faultyProgram() });
const journalOf = (w: ReleaseWorkspace) => {
  const runs = path.join(w.folder, '.git/bevelstone/runs');
  const [id = ''] = readdirSync(runs);
  return { id, file: path.join(runs, id, 'journal.jsonl') };
};

const moments = [
  'gated::after-done',
  'built::after-done',
  'tagged:*:after-done',
  'push::before',
  'push::after-effect',
  'sent:*:before',
  'confirmed:*:after-done',
  'ledgered::before',
  'settled::after-effect',
];

describe('an unfinished release', () => {
  it.each(moments)('killed at %s is named first by the status and by a survey', async (moment) => {
    const w = await releaseWorkspace();
    await w.release([], { BEVELSTONE_FAULT: moment }).catch(() => null);

    const status = await run(w, []);
    const survey = await run(w, ['survey']);

    expect(status.error).toBeNull();
    expect(status.result).toMatchObject({ run: { id: expect.any(String) }, next: 'bevelstone release --resume' });
    const said = survey.error === null ? survey.warnings.join('\n') : `${survey.error.code} ${survey.error.fix}`;
    expect(said).toMatch(/is not finished: bevelstone release --resume|^RUN_OPEN .*--resume/);
  });

  it('is finished in a clone that was made before it was pushed', async () => {
    const w = await releaseWorkspace({ packages: ['soundings', 'buoys'] });
    const clone = w.clone('older');
    w.commit('feat: charts', {
      'charts/package.json': readFileSync(path.join(w.folder, 'buoys/package.json'), 'utf8').replaceAll(
        'buoys',
        'charts',
      ),
      'charts/depth.js': 'export const depth = 3;\n',
      'charts/README.md': '# charts\n\nDepths below chart datum, in metres, along the fairway and at the quays.\n',
      'charts/LICENSE': 'MIT License\n',
      'bevelstone.yaml': readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8').replace(
        /^( {2})buoys: .*$/m,
        (line) => `${line}\n${line.replaceAll('buoys', 'charts')}`,
      ),
    });
    w.git('push', '--quiet');
    await w.release([], { BEVELSTONE_FAULT: 'push::after-done' }).catch(() => null);

    const resumed = await clone.release(['--resume']);

    expect(resumed.error).toBeNull();
    expect(resumed.result.releases.map((release: { package: string }) => release.package).sort()).toEqual([
      'buoys',
      'charts',
      'soundings',
    ]);
    expect(uploads(clone)).toEqual([1, 1, 1]);
  });
});

describe('a journal that lost its end', () => {
  it.each([
    ['half of its last record', (text: string) => text.slice(0, -30)],
    ['its last record', (text: string) => `${text.trimEnd().split('\n').slice(0, -1).join('\n')}\n`],
    ['its last three records', (text: string) => `${text.trimEnd().split('\n').slice(0, -3).join('\n')}\n`],
    [
      'its last record, and has rubbish in its place',
      (text: string) => `${text.trimEnd().split('\n').slice(0, -1).join('\n')}\n\0\0\0\0{"seq":\n`,
    ],
    ['all but its first record', (text: string) => `${text.split('\n')[0]}\nrubbish\n`],
  ])('%s: the release is finished, and nothing is uploaded twice', async (_, spoil) => {
    const w = await releaseWorkspace({ destinations: ['office', 'upstairs'] });
    await w.release([], { BEVELSTONE_FAULT: 'confirmed:*:before' }).catch(() => null);
    const { file } = journalOf(w);
    writeFileSync(file, spoil(readFileSync(file, 'utf8')));

    const resumed = await w.release(['--resume']);

    expect(resumed.error).toBeNull();
    expect(Math.max(...uploads(w))).toBe(1);
    expect(w.git('ls-remote', 'origin', 'refs/tags/v0.1.0')).not.toBe('');
    w.commit('fix: the lock gate', { 'soundings/depth.js': 'export const depth = 4.3;\n' });
    expect((await w.release()).error).toBeNull();
  });

  it('and its first record too can be given up, or finished from what the remote knows', async () => {
    const [pushed, local] = [await releaseWorkspace(), await releaseWorkspace()];
    await pushed.release([], { BEVELSTONE_FAULT: 'push::after-done' }).catch(() => null);
    await local.release([], { BEVELSTONE_FAULT: 'agreed::after-done' }).catch(() => null);
    for (const w of [pushed, local]) writeFileSync(journalOf(w).file, 'rubbish\n');

    const finished = await pushed.release(['--resume']);
    const refused = await local.release(['--resume']);
    const given = await local.release(['--abandon']);
    const again = await local.release();

    expect(finished.error).toBeNull();
    expect([refused.exitCode, refused.error?.code]).toEqual([3, 'JOURNAL_DAMAGED']);
    expect([given.exitCode, again.error]).toEqual([0, null]);
  });

  it('of a run that is over is not read any more', async () => {
    const w = await releaseWorkspace();
    await w.release();
    writeFileSync(journalOf(w).file, 'rubbish\n');
    w.commit('fix: the lock gate', { 'soundings/depth.js': 'export const depth = 4.3;\n' });

    const next = await w.release();

    expect(next.error).toBeNull();
  });
});

describe('giving up', () => {
  it('works without the remote', async () => {
    const w = await releaseWorkspace();
    await w.release([], { BEVELSTONE_FAULT: 'push::after-done' }).catch(() => null);
    w.git('remote', 'set-url', 'origin', '../gone.git');

    const given = await w.release(['--abandon']);
    const status = await run(w, []);

    expect(given.exitCode).toBe(0);
    expect(given.stdout).toContain('could not be asked');
    expect(status.result?.run ?? null).toBeNull();
  });
});

describe('what killed runs left', () => {
  it('is removed by the next command that takes the lock, and nothing else is', async () => {
    const w = await releaseWorkspace({ more: 'gates: { run: ["sleep 600"] }\n' });
    const own = temporaryInside(w);
    const child = execa(process.execPath, [faultyProgram(), 'release', '--yes'], {
      cwd: w.folder,
      env: testEnvironment({ ...w.env, ...own }),
      extendEnv: false,
      reject: false,
      detached: true,
    });
    await appears(own['TMPDIR'] ?? '', /^bevelstone-gate/);
    process.kill(-(child.pid ?? 0), 'SIGKILL');
    await child;
    const others = path.join(own['TMPDIR'] ?? '', 'bevelstone-mine-0123456789abcdef');
    mkdirSync(others);
    expect(leftoversOf(w).length).toBeGreaterThan(1);

    await w.release(['--abandon'], own);

    expect(leftoversOf(w)).toEqual(['tmp/bevelstone-mine-0123456789abcdef']);
    expect(w.git('worktree', 'list').split('\n')).toHaveLength(1);
  });

  it('never makes the program remove what a foreign note names', async () => {
    const w = await releaseWorkspace();
    const precious = temporaryFolder();
    const link = path.join(w.top, 'bevelstone-x-0123456789abcdef');
    symlinkSync(precious, link);
    const note = path.join(w.folder, '.git/bevelstone/at-work/999999-0123456789abcdef');
    mkdirSync(note, { recursive: true });
    writeFileSync(path.join(note, 'note-0123456789abcdef'), precious);
    writeFileSync(path.join(note, 'note-1123456789abcdef'), link);

    await w.release();

    expect([existsSync(precious), existsSync(link)]).toEqual([true, true]);
  });
});

describe('a machine that is not as it should be', () => {
  it.each<[string, (w: ReleaseWorkspace) => Record<string, string>, RegExp]>([
    ['no temporary folder', (w) => ({ TMPDIR: path.join(w.top, 'nowhere') }), /^(?:TEMPORARY_MISSING|GATES_REFUSED)$/],
    [
      'a temporary folder that is a file',
      (w) => ({ TMPDIR: path.join(w.folder, 'bevelstone.yaml') }),
      /^(?:TEMPORARY_MISSING|GATES_REFUSED)$/,
    ],
    ['no home', (w) => ({ HOME: path.join(w.top, 'nowhere') }), /^none$/],
  ])('with %s gets an error with a code, or none', async (_, env, code) => {
    const w = await releaseWorkspace();

    const made = await w.release([], env(w));

    expect(made.error?.code ?? 'none').toMatch(code);
  });

  it.runIf(faultLibrary() !== null).each(['release', 'build', 'survey', 'probe', 'ledger list'])(
    'with a git folder that cannot be written gets an error with a code from %s',
    async (command) => {
      const w = await releaseWorkspace();
      const fault = { program: '', at: 1, does: 'readonly', top: path.join(w.folder, '.git') } as const;

      const made = await run(
        w,
        [...command.split(' '), ...(command === 'release' ? ['--yes'] : [])],
        faultEnvironment(w, fault),
      );

      expect(made.error?.code).not.toBe('INTERNAL');
      expect(made.exitCode).not.toBe(1);
      rmSync(path.join(w.top, 'calls'), { force: true });
      expect((await w.release()).error).toBeNull();
    },
  );
});
